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
import { Desk } from "./desk/Desk";
import { Library } from "./library/Library";
import { Enter } from "./session/Enter";
import { SignIn } from "./session/SignIn";
import { offerRendering } from "./sound/render";
import { Broken } from "./ui/Broken";

const PAGES = [
  { path: "/", element: <Library /> },
  { path: "/takes/:takeId", element: <Desk /> },
  { path: "/sign-in", element: <SignIn /> },
  { path: "/enter/:token", element: <Enter /> },
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
