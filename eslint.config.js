import js from "@eslint/js";
import globals from "globals";

export default [
  { ignores: ["**/vendor/**"] },
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: 2023, sourceType: "module", globals: { ...globals.browser, htmx: "readonly" } },
    rules: {
      "prefer-const": ["error", { destructuring: "all" }],
      "no-var": "error",
      eqeqeq: ["error", "always", { null: "ignore" }],
      "no-implied-eval": "error",
      "no-shadow-restricted-names": "error",
      "no-constant-binary-expression": "error",
      "no-self-compare": "error",
      "no-unmodified-loop-condition": "error",
      "no-unused-vars": ["error", { args: "after-used" }],
    },
  },
  { files: ["tests/front/**"], languageOptions: { globals: globals.node } },
];
