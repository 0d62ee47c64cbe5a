// What is checked of our own scripts; prettier writes their layout.

import { createRequire } from "node:module";

// The packages live beside their lock file.
const require = createRequire(new URL("./frontend/package.json", import.meta.url));
const js = require("@eslint/js");
const globals = require("globals");

export default [
  { ignores: ["**/vendor/**", "**/node_modules/**", "var/**", ".venv/**"] },
  js.configs.recommended,
  {
    languageOptions: { ecmaVersion: 2024, sourceType: "module", globals: { ...globals.browser, htmx: "readonly" } },
    rules: {
      eqeqeq: "error",
      "max-lines": ["error", { max: 400 }],
      "max-params": ["error", 8],
      "no-implicit-globals": "error",
      "no-shadow": "error",
      "no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_", caughtErrors: "none" }],
      "no-var": "error",
      "object-shorthand": "error",
      "prefer-const": "error",
    },
  },
  { files: ["tests/**"], languageOptions: { globals: globals.node } },
  { files: ["**/lib/capture.js"], languageOptions: { globals: globals.audioWorklet } },
];
