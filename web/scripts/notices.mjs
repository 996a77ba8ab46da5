// Makes dist/notices.json, what stands under About: every part that is shipped, with its licence and the words that have to go along.
// Fails where a licence forbids it, is unknown, or has no words. With --text it writes them as one text instead, for the package.
import { existsSync, readdirSync, readFileSync, realpathSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { mayShip, textOf } from "./licences.mjs";

const here = dirname(fileURLToPath(import.meta.url));
const json = (...path) => JSON.parse(readFileSync(join(...path), "utf8"));
const web = join(here, "..");
const decided = json(here, "licences.json");
const faults = [];
const parts = [];

const wordsIn = (folder) =>
  readdirSync(folder, { withFileTypes: true })
    .filter(
      (f) => f.isFile() && /^(licen[cs]e|copying|unlicense|notice|third.?party.?notices?)([.-].*)?$/i.test(f.name),
    )
    .map((f) => readFileSync(join(folder, f.name), "utf8").trim());

function add(part, folder, copyright) {
  const says = decided.parts[`${part.name} ${part.version}`] ?? {};
  const licence = says.licence ?? part.licence;
  const brought = wordsIn(folder);
  const text = brought.length > 0 ? brought.join("\n\n") : textOf(licence ?? "");
  if (!mayShip(licence))
    faults.push(
      `${part.name} ${part.version} has the licence '${licence}', which is not among those that let it be shipped`,
    );
  else if (!text) faults.push(`${part.name} ${part.version} has no words of its licence '${licence}'`);
  parts.push({ ...part, licence, text: brought.length > 0 || !copyright ? text : `${copyright}\n\n${text}` });
  // A built library may have others within: what they are was looked up for this very version.
  for (const within of says.holds ?? [])
    parts.push({
      kind: "within",
      version: "",
      ...within,
      name: `${within.name} (in ${part.name})`,
      text: `${within.words ?? ""}\n\n${textOf(within.licence) ?? ""}`.trim(),
    });
  if (decided.looked.some((name) => name === part.name) && !says.holds)
    faults.push(
      `${part.name} ${part.version} is built from others: look up which, and write them into web/scripts/licences.json`,
    );
}

// Scripts and fonts: what the browser part needs to run, and what builds its offline part into it.
const lock = json(web, "package-lock.json").packages;
for (const [path, p] of Object.entries(lock)) {
  const name = path.slice(path.lastIndexOf("node_modules/") + 13);
  if (
    !path ||
    (p.dev && !decided.built.some((b) => name === b || name.startsWith(`${b}-`))) ||
    !existsSync(join(web, path))
  )
    continue;
  add(
    { kind: name.startsWith("@fontsource") ? "font" : "script", name, version: p.version, licence: p.license },
    join(web, path),
  );
}

// Libraries of the server, and the runtime that goes along in the package.
const assets = json(web, "../src/Rhabdon.Server/obj/project.assets.json");
const folders = Object.keys(assets.packageFolders);
const found = (path) => folders.map((f) => join(f, path)).find(existsSync);
for (const [key, of] of Object.entries(assets.libraries)) {
  if (of.type !== "package") continue;
  const [name, version] = key.split("/");
  const folder = found(of.path);
  const spec = readFileSync(
    join(
      folder,
      readdirSync(folder).find((f) => f.endsWith(".nuspec")),
    ),
    "utf8",
  );
  const tag = (t) => spec.match(new RegExp(`<${t}[^>]*>([^<]*)</${t}>`))?.[1].trim();
  add(
    { kind: "library", name, version, licence: spec.match(/<license type="expression">([^<]*)</)?.[1] },
    folder,
    tag("copyright") || `Copyright (c) ${tag("authors")}`,
  );
}
const onPath = (process.env.PATH ?? "")
  .split(":")
  .map((d) => join(d, "dotnet"))
  .filter(existsSync);
const dotnet = [process.env.DOTNET_ROOT, ...onPath.map((d) => dirname(realpathSync(d))), ...decided.dotnet].find(
  (d) => d && existsSync(join(d, "LICENSE.txt")),
);
if (dotnet)
  add(
    {
      kind: "runtime",
      name: ".NET runtime",
      version: Object.keys(assets.project.frameworks)[0].replace("net", ""),
      licence: "MIT",
    },
    dotnet,
  );
else faults.push("the licence of the .NET runtime is not found: set DOTNET_ROOT to where it lies");

for (const { words, ...part } of decided.also) parts.push({ ...part, text: `${words}\n\n${textOf(part.licence)}` });

if (faults.length > 0) {
  console.error(`What may not be shipped:\n${faults.map((f) => `  ${f}`).join("\n")}`);
  process.exit(1);
}
parts.sort((a, b) => a.name.localeCompare(b.name, "en"));
if (process.argv.includes("--text")) {
  console.log("Rhabdon ships these parts, each under its own licence.\n");
  for (const p of parts) console.log(`${"=".repeat(76)}\n${p.name} ${p.version}   ${p.licence}\n\n${p.text}\n`);
} else {
  // Many say the same: each text once.
  const texts = [...new Set(parts.map((p) => p.text))];
  writeFileSync(
    join(web, "dist/notices.json"),
    JSON.stringify({ parts: parts.map(({ text, ...p }) => ({ ...p, text: texts.indexOf(text) })), texts }),
  );
  console.log(`Notices: ${parts.length} parts, ${texts.length} texts`);
}
