import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig, type Plugin } from "vite";

const spoken = fileURLToPath(new URL("./src/words/jsx-runtime.ts", import.meta.url));

/** Elements are made by our own runtime, which says their words in the language that is spoken; those of packages too. */
const speaking: Plugin = {
  name: "speaking",
  enforce: "pre",
  resolveId: (id, importer) => (id === "react/jsx-runtime" && importer !== spoken ? spoken : null),
};

export default defineConfig({
  plugins: [speaking, react(), tailwindcss()],
  build: { outDir: "../amber_thicket/web/page", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 800 },
  // The guide lies beside the page in the repository.
  server: { fs: { allow: [".."] }, proxy: { "/api": "http://127.0.0.1:8760" } },
});
