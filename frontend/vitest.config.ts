import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  test: { globalSetup: ["./src/testing/declarations.ts"], testTimeout: 30_000 },
});
