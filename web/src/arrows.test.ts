import { readdirSync, readFileSync } from "node:fs";
import { dirname, normalize } from "node:path/posix";
import { expect, test } from "vitest";

const root = new URL("./", import.meta.url);

/** What each room may know; docs/architecture.md draws the same. A type of the API document weighs nothing. */
const MAY_KNOW: Record<string, string[]> = {
  engine: [],
  api: [],
  i18n: [],
  // What a question or a write came to is told by what the server said.
  ui: ["i18n", "api"],
  offline: ["engine", "api"],
  domain: ["ui", "offline", "engine", "api", "i18n"],
  features: ["domain", "ui", "offline", "engine", "api", "i18n"],
  app: ["features", "domain", "ui", "offline", "engine", "api", "i18n"],
};
/** Packages that the engine may not touch either: it draws nothing, keeps nothing, asks nobody. */
const NOT_IN_ENGINE = /^(react|antd|dexie|@tanstack|@microsoft|i18next)/;

const files = readdirSync(root, { recursive: true })
  .map(String)
  .filter((f) => /\/.*\.tsx?$/.test(f) && !f.includes(".test."));

test.each(files)("%s knows only whom it may", (file) => {
  const text = readFileSync(new URL(file, root), "utf8");
  const [room = "", feature] = file.split("/");
  const against: string[] = [];
  for (const [, typeOnly, still, late] of text.matchAll(
    /(?:import|export)\s+(type\s)?[^;"']*?from\s+"([^"]+)"|import\("([^"]+)"\)/g,
  )) {
    const spec = still ?? late ?? "";
    if (!spec.startsWith(".")) {
      if (room === "engine" && NOT_IN_ENGINE.test(spec)) against.push(spec);
      continue;
    }
    const target = normalize(`${dirname(file)}/${spec}`);
    const [there = "", of] = target.split("/");
    if (typeOnly && target.startsWith("api/")) continue;
    if (there === room && (room !== "features" || of === feature)) continue;
    if (!MAY_KNOW[room]?.includes(there) || there === room) against.push(target);
  }
  expect(against).toEqual([]);
});
