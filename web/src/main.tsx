import { keepFocus } from "./ui/keepFocus";
import "@fontsource-variable/source-sans-3";
import "@fontsource/crimson-pro/400-italic.css";
import "@fontsource/crimson-pro/600-italic.css";
import "./style.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { queries } from "./api/queries";
import { offerRendering } from "./sound/render";
import { Broken } from "./ui/Broken";

/** Each page comes when it is gone to. */
const PAGES = [
  { path: "/", lazy: async () => ({ Component: (await import("./library/Library")).Library }) },
  { path: "/takes/:takeId", lazy: async () => ({ Component: (await import("./desk/Desk")).Desk }) },
  { path: "/sign-in", lazy: async () => ({ Component: (await import("./session/SignIn")).SignIn }) },
  { path: "/enter/:token", lazy: async () => ({ Component: (await import("./session/Enter")).Enter }) },
  {
    path: "/invited/:token",
    lazy: async () => ({ Component: (await import("./session/Invited")).Invited }),
  },
];
const router = createBrowserRouter(PAGES.map((page) => ({ ...page, errorElement: <Broken /> })));

offerRendering();
keepFocus();
createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
