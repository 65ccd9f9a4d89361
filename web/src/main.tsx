import { keepFocus } from "./ui/keepFocus";
import "@fontsource-variable/source-sans-3";
import "@fontsource/crimson-pro/400-italic.css";
import "@fontsource/crimson-pro/600-italic.css";
import "./style.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode, Suspense } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { queries } from "./api/queries";
import { offerRendering } from "./sound/render";
import { Nothing, Unbroken } from "./ui/Broken";

/** Each page comes when it is gone to. */
const PAGES = {
  "/": lazy(async () => ({ default: (await import("./library/Library")).Library })),
  "/takes/:takeId": lazy(async () => ({ default: (await import("./desk/Desk")).Desk })),
  "/guide": lazy(async () => ({ default: (await import("./guide/Guide")).Guide })),
  "/guide/:page": lazy(async () => ({ default: (await import("./guide/Guide")).Guide })),
  "/show/:example": lazy(async () => ({ default: (await import("./guide/Show")).Show })),
  "/sign-in": lazy(async () => ({ default: (await import("./session/SignIn")).SignIn })),
  "/enter/:token": lazy(async () => ({ default: (await import("./session/Enter")).Enter })),
  "/confirm/:token": lazy(async () => ({ default: (await import("./session/Confirm")).Confirm })),
  "/invited/:token": lazy(async () => ({ default: (await import("./session/Invited")).Invited })),
};

offerRendering();
keepFocus();
createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Unbroken>
          <Suspense>
            <Routes>
              {Object.entries(PAGES).map(([path, Page]) => (
                <Route key={path} path={path} element={<Page />} />
              ))}
              <Route path="*" element={<Nothing />} />
            </Routes>
          </Suspense>
        </Unbroken>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
