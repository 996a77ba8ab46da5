// Fails the build when the JavaScript that the first route needs grows over its budget.
import { readFileSync } from "node:fs";
import { gzipSync } from "node:zlib";

const BUDGET_KB = 450;
const manifest = JSON.parse(readFileSync("dist/.vite/manifest.json", "utf8"));
const files = new Set();
const visit = (key) => {
  const chunk = manifest[key];
  if (!chunk || files.has(chunk.file)) return;
  files.add(chunk.file);
  for (const next of chunk.imports ?? []) visit(next);
};
visit("index.html");
visit("src/features/today/Today.tsx");
const kb = [...files].reduce((sum, f) => sum + gzipSync(readFileSync(`dist/${f}`)).length, 0) / 1000;
console.log(`First route: ${kb.toFixed(0)} kB of JavaScript, gzip (budget ${BUDGET_KB} kB)`);
if (kb > BUDGET_KB) process.exit(1);
