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
    modulePreload: { polyfill: false }, // every browser that has es2022 and is kept up to date preloads modules by itself
    rolldownOptions: {
      output: {
        // What every screen needs of others is one file: it compresses better, and stays the same from release to release.
        codeSplitting: {
          groups: [
            {
              name: "floating",
              priority: 1,
              test: /node_modules\/(@headlessui|@floating-ui|@react-aria|@react-stately|tabbable)\//,
            },
            {
              name: "charts",
              priority: 1,
              test: /(node_modules\/d3-(scale|array|time|format|interpolate|color)|src\/charts\/(ChartFrame|Cells|paint|saving|Time|useSize|useCursor|geometry\/(axis|labels|tracks)))/,
            },
            {
              // And so is what the list of servers needs, which comes after signing in.
              name: "first",
              priority: 2,
              test: /src\/(ui\/(Answer|Button|Failure|later|Menu|Choice|table\/(DataTable|table|columns|layouts))|lib\/(time|zone|view|search|units|figure|words\/(indicators|wait_kinds))|charts\/(kinds|textures|WaitTextures|Spark|Tide|geometry\/(waterline|stacks))|features\/servers\/(ServersPage|columns|indicators))\.tsx?$/,
            },
            {
              name: "base",
              priority: 3,
              test: /node_modules\/(react|react-dom|scheduler|use-sync-external-store|@tanstack\/(history|query-core|react-query|react-router|router-core|react-store|store)|openapi-fetch|lucide-react\/dist\/esm\/(?!icons))\//,
            },
          ],
        },
      },
    },
  },
  test: {
    maxWorkers: 2, // else one less than there are cores
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
          isolate: false,
        },
      },
    ],
  },
});
