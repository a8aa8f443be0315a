import vue from "@vitejs/plugin-vue";
import { defineConfig, type Plugin } from "vite";
import { cssVariables } from "./src/styles/tokens.ts";

/** Serves the tokens as CSS variables, so that no colour is written twice. */
function tokens(): Plugin {
  return {
    name: "tokens",
    resolveId: (id) => (id === "virtual:tokens.css" ? "\0virtual:tokens.css" : undefined),
    load: (id) => (id === "\0virtual:tokens.css" ? cssVariables() : undefined),
  };
}

const SERVER = "http://127.0.0.1:8787";

export default defineConfig({
  plugins: [vue(), tokens()],
  build: { target: "es2022", chunkSizeWarningLimit: 400, assetsInlineLimit: 0 },
  // `npm run dev` beside a running server: that answers its own pages only, so what is handed on says that it is one.
  server: {
    proxy: {
      "/api": { target: SERVER, changeOrigin: true, headers: { origin: SERVER } },
    },
  },
});
