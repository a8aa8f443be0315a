import "./nonce";
import "virtual:tokens.css";
import "./styles/fonts.css";
import "./styles/base.css";
import { createApp } from "vue";
import App from "./App.vue";
import { router } from "./router";

createApp(App).use(router).mount("#app");
