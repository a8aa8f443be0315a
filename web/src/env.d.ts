declare module "virtual:tokens.css";
