import { keepFocus } from "./ui/keepFocus";
import "@fontsource-variable/source-sans-3";
import "@fontsource/crimson-pro/400-italic.css";
import "@fontsource/crimson-pro/600-italic.css";
import "./style.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { queries } from "./api/queries";
import { offerRendering } from "./sound/render";
import { Nothing, Unbroken } from "./ui/Broken";
import { late } from "./ui/late";

/** Each page comes when it is gone to. */
const PAGES = {
  "/": late(async () => (await import("./library/Library")).Library),
  "/takes/:takeId": late(async () => (await import("./desk/Desk")).Desk),
  "/guide": late(async () => (await import("./guide/Guide")).Guide),
  "/guide/:page": late(async () => (await import("./guide/Guide")).Guide),
  "/show/:example": late(async () => (await import("./guide/Show")).Show),
  "/sign-in": late(async () => (await import("./session/SignIn")).SignIn),
  "/enter/:token": late(async () => (await import("./session/Enter")).Enter),
  "/confirm/:token": late(async () => (await import("./session/Confirm")).Confirm),
  "/invited/:token": late(async () => (await import("./session/Invited")).Invited),
};

offerRendering();
keepFocus();
createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Unbroken>
          <Routes>
            {Object.entries(PAGES).map(([path, Page]) => (
              <Route key={path} path={path} element={<Page />} />
            ))}
            <Route path="*" element={<Nothing />} />
          </Routes>
        </Unbroken>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
