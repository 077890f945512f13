import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: {
    outDir: "../internal/web/dist",
    emptyOutDir: false, // .keep stays; make build clears the rest
    chunkSizeWarningLimit: 1600,
  },
  server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});
