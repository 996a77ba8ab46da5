import { readdirSync, readFileSync } from "node:fs";
import { expect, test } from "vitest";
import openapi from "../../openapi.json";
import { choices } from "../ui/Parts";
import { strandPaint } from "../ui/theme";
import en from "./en.json";

const words = new Map<string, string>();
const collect = (o: object, path: string) => {
  for (const [k, v] of Object.entries(o))
    if (typeof v === "string") words.set(path + k, v);
    else collect(v, `${path}${k}.`);
};
collect(en, "");

const root = new URL("../", import.meta.url);
const sources = readdirSync(root, { recursive: true, encoding: "utf8" })
  .filter((f) => /\.tsx?$/.test(f) && !f.includes(".test.") && !f.endsWith(".d.ts"))
  .map((f) => ({ f, text: readFileSync(new URL(f, root), "utf8") }));

test("every word that the screens ask for is in the catalogue", () => {
  const missing: string[] = [];
  for (const { f, text } of sources)
    for (const [, key] of text.matchAll(/\bt\(\s*"([\w.-]+)"/g))
      if (key && !words.has(key) && !words.has(`${key}_one`)) missing.push(`${f}: ${key}`);
  expect(missing).toEqual([]);
});

test("everything that the audit writes down has its words", () => {
  const written = Object.entries(openapi.paths)
    .filter(
      ([path]) =>
        !/^\/api\/(calc\/|ledger$|setup$)|\/check$|\/judge\/|\/(pictures|photos|cleaves|red-light|traces)$/.test(path),
    )
    .flatMap(([path, operations]) =>
      Object.keys(operations)
        .filter((method) => method !== "get" || path.startsWith("/api/facts/"))
        .map((method) => `${method.toUpperCase()} ${path}`),
    );
  expect(written.length).toBeGreaterThan(30);
  expect(written.filter((w) => !words.has(`audit.did.${w}`))).toEqual([]);
});

test("plurals come in both forms, and nothing shouts", () => {
  for (const [key, text] of words) {
    if (key.endsWith("_one")) expect(words.has(key.replace(/_one$/, "_other"))).toBe(true);
    expect(text).not.toContain("!");
  }
});

const schema = (name: string) =>
  ((openapi.components.schemas as unknown as Record<string, { enum: (string | null)[] }>)[name]?.enum ?? []).filter(
    (v): v is string => v !== null,
  );

test.each([
  ["status", "EndStatus"],
  ["verdict", "EndVerdict"],
  ["phase", "Phase"],
  ["colour", "StrandColour"],
  ["form", "ConnectorForm"],
  ["mode", "FiberMode"],
  ["method", "TerminationMethod"],
  ["construction", "CableConstruction"],
  ["finding", "FindingKind"],
  ["caution", "Caution"],
  ["reason", "ReworkReason"],
  ["loss", "LossVerdict"],
  ["advice", "EndFaceAdvice"],
  ["deviation", "DeviationKind"],
  ["event", "EventKind"],
  ["role", "Role"],
  ["planColumn", "PlanColumn"],
  ["change", "EndChange"],
  ["edition", "DossierEdition"],
])("each %s of the server has its word", (group, name) => {
  const values = schema(name);
  expect(values.length).toBeGreaterThan(1);
  for (const v of values) expect(words.has(`${group}.${v}`), `${group}.${v}`).toBe(true);
});

test("each check before a handover has its words, for none, one and many", () => {
  for (const v of schema("CheckKind"))
    for (const n of ["zero", "one", "other"]) expect(words.has(`check.${v}_${n}`), `check.${v}_${n}`).toBe(true);
});

test.each([
  ["form", "ConnectorForm"],
  ["polish", "Polish"],
  ["mode", "FiberMode"],
  ["method", "TerminationMethod"],
  ["fiberClass", "FiberClass"],
  ["construction", "CableConstruction"],
  ["status", "EndStatus"],
  ["verdict", "EndVerdict"],
  ["reason", "ReworkReason"],
] as const)("the choices of %s are the server's", (group, name) => {
  expect([...choices[group]].sort()).toEqual([...schema(name)].sort());
});

test("each strand colour has its paint", () => {
  expect(Object.keys(strandPaint).sort()).toEqual([...schema("StrandColour")].sort());
});
