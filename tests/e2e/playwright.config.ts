import { defineConfig } from "@playwright/test";

const port = process.env.PORT ?? "5099";

export default defineConfig({
  testDir: ".",
  timeout: Number(process.env.LONGEST_MS ?? 300_000),
  expect: { timeout: 10_000 },
  workers: 1,
  outputDir: "../../.rhabdon/test-results",
  reporter: [["list"], ["json", { outputFile: process.env.REPORT ?? "../../.rhabdon/playwright.json" }]],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream", "--disable-gpu", "--disable-background-networking", "--disable-component-update"],
    },
    actionTimeout: 60_000,
    trace: "off",
  },
  webServer: {
    command: `dotnet ${process.env.SERVER} serve --port ${port} --web ${process.env.WEB} --SignInsPerMinute 1000`,
    url: `http://127.0.0.1:${port}/api/session`,
    timeout: 60_000,
  },
});
