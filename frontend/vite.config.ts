import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { "/api": "http://127.0.0.1:8710" } },
  // Nothing as a data URL: the content security policy lets scripts, styles and fonts come from files only.
  build: { outDir: "dist", assetsInlineLimit: 0, target: "es2022" },
  test: { environment: "jsdom", css: true, include: ["src/**/*.test.{ts,tsx}"], setupFiles: ["src/testing/setup.ts"] },
});
