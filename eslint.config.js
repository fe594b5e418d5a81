// Style of the page's scripts, and the layers that they keep to: geom < glyphs < model < net < tools < view, acts; desk and main over all.
import importX from "eslint-plugin-import-x";
import globals from "globals";

const DESK = "./jaythread/static/desk";
const zone = (target, ...from) => from.map((f) => ({ target: `${DESK}/${target}`, from: `${DESK}/${f}`, message: `${target} stands below ${f}` }));

export default [
  { ignores: ["**/vendor/**", ".venv/**", ".run/**", "node_modules/**"] },
  {
    files: ["**/*.js"],
    plugins: { "import-x": importX },
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: { ...globals.browser, Alpine: "readonly" } },
    rules: {
      "no-undef": "error",
      "no-unused-vars": ["error", { args: "after-used", argsIgnorePattern: "^(e$|_)" }],
      "no-var": "error",
      "prefer-const": "error",
      eqeqeq: "error",
      complexity: ["error", 20],
      "max-lines": ["error", { max: 400, skipBlankLines: true, skipComments: true }],
      "import-x/no-unresolved": "error",
      "import-x/named": "error",
      "import-x/no-cycle": "error",
      "import-x/first": "error",
      "import-x/order": ["error", { alphabetize: { order: "asc" }, "newlines-between": "never" }],
      "import-x/no-restricted-paths": ["error", {
        zones: [
          ...zone("geom", "glyphs", "model", "net", "tools", "view", "acts"),
          ...zone("glyphs", "model", "net", "tools", "view", "acts"),
          ...zone("model", "glyphs", "net", "tools", "view", "acts"),
          ...zone("net", "glyphs", "tools", "view", "acts"),
          ...zone("tools", "view", "acts"),
          ...zone("acts", "tools", "view"),
        ],
      }],
    },
  },
  {
    files: ["**/static/pages.js", "**/static/deliver.js", "**/bench/static/*.js"],
    languageOptions: { sourceType: "script", globals: { follow: "readonly" } },
    rules: { "no-redeclare": ["error", { builtinGlobals: false }] },
  },
  { files: ["tests/page/*.js"], languageOptions: { globals: { Buffer: "readonly" } } },
];
