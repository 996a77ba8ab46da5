import { readdirSync, readFileSync } from "node:fs";
import Ajv from "ajv/dist/2020";
import { expect, test } from "vitest";
import { parse } from "yaml";
import openapi from "../openapi.json";

const folder = new URL("../../procedures/", import.meta.url);
const read = (name: string) => readFileSync(new URL(name, folder), "utf8");
const validate = new Ajv({ allErrors: true, strictTypes: false }).compile(JSON.parse(read("procedure.schema.json")));

const all = readdirSync(folder, { recursive: true })
  .map(String)
  .filter((f) => /\/\d+\.yaml$/.test(f));

type Words = { [key: string]: string | Words };
type Node = { [key: string]: unknown } | Node[];

/** Words laid over what is done, by the ids there; as Core's ProcedureTexts. */
function lay(onto: Node, words: Words) {
  for (const [key, said] of Object.entries(words)) {
    const at = Array.isArray(onto) ? (onto.find((x) => "id" in x && x.id === key) ?? onto[Number(key)]) : onto[key];
    if (typeof said === "string") (onto as Record<string, unknown>)[key] = said;
    else lay(at as Node, said);
  }
  return onto;
}

const whole = (name: string) => lay(parse(read(name)), parse(read(name.replace(".yaml", ".en.yaml")))) as never;

test.each(all)("%s follows the schema", (name) => {
  validate(whole(name));
  expect(validate.errors).toBeNull();
});

test("the editor knows every word of a procedure", () => {
  const methods = new URL("features/methods/", import.meta.url);
  const source = readdirSync(methods, { recursive: true, encoding: "utf8" })
    .filter((f) => /\.tsx?$/.test(f))
    .map((f) => readFileSync(new URL(f, methods), "utf8"))
    .join("\n");
  const schemas = openapi.components.schemas as unknown as Record<string, { properties: Record<string, unknown> }>;
  const kinds =
    "Part Tool PrepPlan PrepPoint Span Cleave Strip Step StepTimer StepCount Stripping SpliceLimits Check Answer Ladder Rung PreflightItem ProcedureOption OptionChoice When Move".split(
      " ",
    );
  const missing = kinds.flatMap((k) =>
    Object.keys(schemas[k]?.properties ?? { [`no ${k}`]: 0 })
      .filter((w) => !new RegExp(`\\b${w}\\b`).test(source))
      .map((w) => `${k}.${w}`),
  );
  expect(missing).toEqual([]);
});

test("the schema refuses an unknown word, a bad phase and an answer without a tone", () => {
  const good = whole("cold-cure-3mm/3.yaml") as ReturnType<typeof parse>;
  expect(validate({ ...good, colour: "blue" })).toBe(false);
  expect(validate({ ...good, steps: [{ ...good.steps[0], phase: "polish" }] })).toBe(false);
  const { tone: _, ...answer } = good.steps.find((s: { check?: object }) => s.check).check.answers[0];
  const check = { question: "?", answers: [answer, answer] };
  expect(validate({ ...good, steps: [{ ...good.steps[5], check }] })).toBe(false);
});
