import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../amber_thicket/web/page", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 800 },
  // The guide lies beside the page in the repository.
  server: { fs: { allow: [".."] }, proxy: { "/api": "http://127.0.0.1:8760" } },
});
