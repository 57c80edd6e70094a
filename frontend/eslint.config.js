import boundaries from "eslint-plugin-boundaries";
import accessible from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

const folders = ["app", "features", "shell", "charts", "ui", "api", "lib"];

const allow = (from, ...to) => ({
  from: { element: { type: from } },
  allow: to.map((type) => ({ to: { element: { type } } })),
});

export default tseslint.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...tseslint.configs.strictTypeChecked,
  { files: ["src/**/*.tsx"], ...accessible.flatConfigs.strict },
  {
    files: ["src/**/*.tsx"],
    rules: {
      // What scrolls is reached by the keyboard, too; a chart is read with the arrow keys.
      "jsx-a11y/no-noninteractive-tabindex": [
        "error",
        { tags: [], roles: ["tabpanel", "region", "application", "tree"] },
      ],
      "jsx-a11y/no-autofocus": "off", // a dialog or a page that is one form begins in its first field
    },
  },
  {
    files: ["src/**/*.{ts,tsx}"],
    ignores: ["src/**/*.test.*", "src/testing/**"],
    rules: { "max-lines-per-function": ["error", { max: 80, skipBlankLines: true, skipComments: true }] },
  },
  {
    files: ["src/**/*.{ts,tsx}"],
    languageOptions: { parserOptions: { projectService: true } },
    plugins: { boundaries, "react-hooks": hooks },
    settings: {
      "boundaries/elements": folders.map((type) =>
        type === "features"
          ? { type, pattern: "src/features/*", capture: ["feature"] }
          : { type, pattern: `src/${type}` },
      ),
      "import/resolver": { node: { extensions: [".ts", ".tsx"] } },
    },
    rules: {
      ...hooks.configs.recommended.rules,
      "react-hooks/incompatible-library": "off", // there is no compiler here that would have to skip anything
      "@typescript-eslint/restrict-template-expressions": ["error", { allowNumber: true }],
      "@typescript-eslint/no-confusing-void-expression": ["error", { ignoreArrowShorthand: true }],
      "@typescript-eslint/only-throw-error": "off", // the router's redirects are thrown objects
      // Imports go one way: app, features, shell, charts and ui and api, lib. Features never meet each other.
      "boundaries/dependencies": [
        "error",
        {
          default: "disallow",
          policies: [
            allow("app", "app", "features", "shell", "charts", "ui", "api", "lib"),
            allow("features", "shell", "charts", "ui", "api", "lib"),
            allow("shell", "shell", "charts", "ui", "api", "lib"),
            {
              from: { element: { type: "features" } },
              allow: [
                { to: { element: { type: "features", captured: { feature: "{{from.element.captured.feature}}" } } } },
              ],
            },
            allow("charts", "charts", "ui", "lib"),
            allow("ui", "ui", "lib"),
            allow("api", "api", "lib"),
            allow("lib", "lib"),
          ],
        },
      ],
    },
  },
);
