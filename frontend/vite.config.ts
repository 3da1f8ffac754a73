import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const server = process.env.VERIFY_LOOP_SERVER ?? "http://127.0.0.1:8000";

export default defineConfig(({ command }) => ({
  base: command === "build" ? "/static/" : "/",
  plugins: [react(), tailwindcss()],
  build: { outDir: "dist", assetsInlineLimit: 0, reportCompressedSize: false },
  server: { proxy: { "/api": server } },
}));
