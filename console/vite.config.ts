import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const APART = ["src/features/automations/editor.test.tsx", "src/features/nodes/profile.test.tsx"];

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../hombi/service/console_files", emptyOutDir: true, assetsInlineLimit: 0 },
  server: { proxy: { "/api": "http://127.0.0.1:21460" } },
  test: {
    environment: "jsdom",
    setupFiles: ["src/test-setup.ts"],
    testTimeout: 30_000,
    projects: [
      {
        // One page of a pretended browser for all files of a worker: making one anew for each
        // takes ten times as long as the tests.
        extends: true,
        test: {
          name: "together",
          include: ["src/**/*.test.{ts,tsx}"],
          exclude: APART,
          isolate: false,
        },
      },
      // They put another module in the place of one, or are in the way of others.
      { extends: true, test: { name: "apart", include: APART } },
    ],
  },
});
