import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { "/api": "http://127.0.0.1:8710" } },
  // Nothing as a data URL: the content security policy lets scripts, styles and fonts come from files only.
  build: {
    outDir: "dist",
    assetsInlineLimit: 0,
    target: "es2022",
    rolldownOptions: {
      output: {
        // What every screen needs of others is one file: it compresses better, and stays the same from release to release.
        codeSplitting: {
          groups: [
            {
              name: "base",
              test: /node_modules\/(react|react-dom|scheduler|use-sync-external-store|@tanstack\/(history|query-core|react-query|react-router|router-core|react-store|store)|openapi-fetch|lucide-react\/dist\/esm\/(?!icons))\//,
            },
          ],
        },
      },
    },
  },
  test: {
    testTimeout: 20_000, // a machine whose cores are all taken is slow, not wrong
    projects: [
      {
        extends: true,
        test: { name: "reasoning", environment: "node", css: true, include: ["src/**/*.test.ts"], isolate: false },
      },
      {
        extends: true,
        test: {
          name: "screens",
          environment: "jsdom",
          css: true,
          include: ["src/**/*.test.tsx"],
          setupFiles: ["src/testing/setup.ts"],
        },
      },
    ],
  },
});
