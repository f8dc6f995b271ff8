import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { meaningsPlugin } from "./meanings";

/** Where the server is while the page is developed: it answers only to its own address and origin. */
const server = process.env.JUGLANT_SERVER;

export default defineConfig({
  plugins: [react(), meaningsPlugin()],
  build: { target: "es2022", assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  server: server ? { proxy: { "/api": { target: server, changeOrigin: true, headers: { origin: server } } } } : {},
});
