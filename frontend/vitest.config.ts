import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  // The guide lies beside the page in the repository.
  server: { fs: { allow: [".."] } },
  plugins: [react()],
  test: {
    globalSetup: ["./src/testing/declarations.ts"],
    setupFiles: ["./src/testing/patience.ts"],
    testTimeout: 120_000,
    hookTimeout: 120_000,
  },
});
