import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { guide } from "./guide";

const server = process.env.LULL_API ?? "http://127.0.0.1:8000";

export default defineConfig(({ command }) => ({
  base: command === "build" ? "/static/" : "/",
  plugins: [guide(), react(), tailwindcss()],
  worker: { format: "es" },
  build: { target: "es2022", chunkSizeWarningLimit: 800 },
  server: { fs: { allow: [".."] }, proxy: { "^/(api|sign-out)": server } },
}));
