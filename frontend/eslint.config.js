import boundaries from "eslint-plugin-boundaries";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const folders = ["app", "features", "charts", "ui", "api", "lib"];

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...tseslint.configs.strictTypeChecked,
  {
    files: ["src/**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true } },
    plugins: { boundaries, "react-hooks": hooks },
    settings: {
      "boundaries/elements": folders.map((type) =>
        type === "features" ? { type, pattern: "src/features/*", capture: ["feature"] } : { type, pattern: `src/${type}` },
      ),
      "import/resolver": { node: { extensions: [".ts", ".tsx"] } },
    },
    rules: {
      ...hooks.configs.recommended.rules,
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "@typescript-eslint/no-confusing-void-expression": ["error", { ignoreArrowShorthand: true }],
      "@typescript-eslint/only-throw-error": "off", // the router's redirects are thrown objects
      // Imports go one way: app, features, charts and ui and api, lib. Features never meet each other.
      "boundaries/element-types": [
        "error",
        {
          default: "disallow",
          rules: [
            { from: "app", allow: ["app", "features", "charts", "ui", "api", "lib"] },
            { from: "features", allow: [["features", { feature: "${from.feature}" }], "charts", "ui", "api", "lib"] },
            { from: "charts", allow: ["charts", "ui", "lib"] },
            { from: "ui", allow: ["ui", "lib"] },
            { from: "api", allow: ["api", "lib"] },
            { from: "lib", allow: ["lib"] },
          ],
        },
      ],
    },
  },
);
