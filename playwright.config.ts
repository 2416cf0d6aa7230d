import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: "test/browser",
  globalSetup: "./test/browser/sign-in.setup.ts",
  // A busy machine is slow; a test that hangs is found all the same.
  timeout: 240_000,
  expect: { timeout: 45_000 },
  workers: 1,
  reporter: "list",
  use: {
    baseURL: process.env.CREEL_ADDRESS ?? "http://127.0.0.1:4824",
    storageState: "test-results/signed-in.json",
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
    },
  },
});
