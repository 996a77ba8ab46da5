import { existsSync, mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { defineConfig } from "@playwright/test";

// What the camera sees: stripes, the same whenever it is looked at. The browser's own pattern has a disc in it that comes and goes.
const camera = join(__dirname, "../../.rhabdon/camera.y4m");
if (!existsSync(camera)) {
  const [w, h] = [640, 480];
  const luma = Buffer.alloc(w * h, 0).map((_, i) => 60 + (((i % w) >> 4) % 8) * 20);
  mkdirSync(join(__dirname, "../../.rhabdon"), { recursive: true });
  writeFileSync(camera, Buffer.concat([Buffer.from(`YUV4MPEG2 W${w} H${h} F10:1 Ip A1:1 C420\nFRAME\n`), luma, Buffer.alloc((w * h) / 2, 128)]));
}

// Each worker has a server and a database of its own: those numbered 1, 2 and so on in the environment.
const desks = [1, 2].filter((n) => process.env[`PORT_${n}`]);
const mine = desks[Number(process.env.TEST_PARALLEL_INDEX ?? 0)] ?? 1;
for (const name of ["PORT", "RHABDON_DB", "RHABDON_NEW_DB", "RHABDON_EMPTY_DB", "RHABDON_CALM_DB"]) process.env[name] = process.env[`${name}_${mine}`];
const at = (n: number) => `http://127.0.0.1:${process.env[`PORT_${n}`]}`;

export default defineConfig({
  testDir: ".",
  timeout: Number(process.env.LONGEST_MS ?? 300_000),
  // Two browsers and two servers share the cores: what is slow is not wrong.
  expect: { timeout: 30_000 },
  workers: desks.length,
  outputDir: "../../.rhabdon/test-results",
  reporter: [["list"], ["json", { outputFile: process.env.REPORT ?? "../../.rhabdon/playwright.json" }]],
  use: {
    baseURL: at(mine),
    viewport: { width: 1280, height: 800 },
    contextOptions: { reducedMotion: "reduce" },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--use-fake-device-for-media-stream", `--use-file-for-fake-video-capture=${camera}`, "--use-fake-ui-for-media-stream", "--disable-gpu", "--disable-background-networking", "--disable-component-update"],
    },
    actionTimeout: 60_000,
    trace: "off",
  },
  webServer: desks.map((n) => ({
    command: `dotnet ${process.env.SERVER} serve --port ${process.env[`PORT_${n}`]} --web ${process.env.WEB} --sign-ins-per-minute 1000 > ${join(__dirname, `../../.rhabdon/browser-server-${n}.log`)} 2>&1`,
    url: `${at(n)}/api/session`,
    timeout: 60_000,
    env: { ...process.env, RHABDON_DB: process.env[`RHABDON_DB_${n}`] } as Record<string, string>,
  })),
});
