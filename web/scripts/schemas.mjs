// Writes docs/formats/*.schema.json from the server's own document, so that what leaves the house is described by what writes it.
// With --check it writes nothing, and fails where a file differs.
import { readFileSync, writeFileSync } from "node:fs";

const api = JSON.parse(readFileSync(new URL("../openapi.json", import.meta.url), "utf8")).components.schemas;
const formats = { "rhabdon-dossier-1": "Dossier", "rhabdon-seal-1": "Seal" };

export function schemaOf(file) {
  const defs = {};
  const take = (name) => {
    if (defs[name]) return;
    defs[name] = {};
    defs[name] = renamed(api[name]);
  };
  const renamed = (node) => {
    if (Array.isArray(node)) return node.map(renamed);
    if (!node || typeof node !== "object") return node;
    return Object.fromEntries(
      Object.entries(node)
        // Patterns of numbers in texts are the API's own leniency; files hold numbers.
        .filter(([k, v]) => !(k === "pattern" && typeof v === "string"))
        .map(([k, v]) => {
          // A list of words that may be missing names null twice; one of both is enough.
          if (k === "oneOf") return ["anyOf", renamed(v)];
          if (k !== "$ref") return [k, renamed(v)];
          const name = v.replace("#/components/schemas/", "");
          take(name);
          return [k, `#/$defs/${name}`];
        }),
    );
  };
  const root = renamed(api[formats[file]]);
  return `${JSON.stringify({ $schema: "https://json-schema.org/draft/2020-12/schema", title: file, ...root, $defs: defs }, null, 2)}\n`;
}

if (process.argv[1]?.endsWith("schemas.mjs")) {
  for (const file of Object.keys(formats)) {
    const path = new URL(`../../docs/formats/${file}.schema.json`, import.meta.url);
    if (!process.argv.includes("--check")) writeFileSync(path, schemaOf(file));
    else if (readFileSync(path, "utf8") !== schemaOf(file)) {
      console.error(`docs/formats/${file}.schema.json is not what the server writes: node web/scripts/schemas.mjs`);
      process.exitCode = 1;
    }
  }
}
