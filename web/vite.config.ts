import vue from "@vitejs/plugin-vue";
import type { Plugin as Sheets } from "postcss";
import media from "postcss-custom-media";
import { defineConfig, type Plugin } from "vite";
import { cssVariables, customMedia } from "./src/styles/tokens.ts";

/** Serves the tokens as CSS variables, so that no colour is written twice. */
function tokens(): Plugin {
  return {
    name: "tokens",
    resolveId: (id) => (id === "virtual:tokens.css" ? "\0virtual:tokens.css" : undefined),
    load: (id) => (id === "\0virtual:tokens.css" ? cssVariables() : undefined),
  };
}

/** Puts the names of the breakpoints before each style sheet. */
const breakpoints: Sheets = {
  postcssPlugin: "breakpoints",
  Once: (sheet, { parse }) => {
    sheet.prepend(parse(customMedia()).nodes);
  },
};

const SERVER = "http://127.0.0.1:8787";

export default defineConfig({
  plugins: [vue(), tokens()],
  css: { postcss: { plugins: [breakpoints, media()] } },
  build: { target: "es2022", chunkSizeWarningLimit: 400, assetsInlineLimit: 0 },
  // `npm run dev` beside a running server: that answers its own pages only, so what is handed on says that it is one.
  server: {
    proxy: {
      "/api": { target: SERVER, changeOrigin: true, headers: { origin: SERVER } },
    },
  },
});
