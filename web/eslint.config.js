import js from "@eslint/js";
import vue from "eslint-plugin-vue";
import globals from "globals";
import ts from "typescript-eslint";

export default ts.config(
  { ignores: ["dist", "node_modules", "src/api/types.ts"] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...vue.configs["flat/recommended"],
  {
    languageOptions: { globals: { ...globals.browser }, parserOptions: { parser: ts.parser } },
    rules: {
      // Prettier lays out; these two would quarrel with it.
      "vue/max-attributes-per-line": "off",
      "vue/singleline-html-element-content-newline": "off",
      "vue/html-self-closing": "off",
      "vue/html-indent": "off",
      "vue/html-closing-bracket-newline": "off",
      "no-undef": "off",
      // A component that nobody imported is an empty tag, and neither the types nor the build say so.
      "vue/no-undef-components": [
        "error",
        { ignorePatterns: ["^router-(link|view)$", "^Router(Link|View)$"] },
      ],
    },
  },
);
