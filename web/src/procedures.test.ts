import { readdirSync, readFileSync } from "node:fs";
import Ajv from "ajv/dist/2020";
import { expect, test } from "vitest";
import { parse } from "yaml";

const folder = new URL("../../procedures/", import.meta.url);
const read = (name: string) => readFileSync(new URL(name, folder), "utf8");
const validate = new Ajv({ allErrors: true, strictTypes: false }).compile(JSON.parse(read("procedure.schema.json")));

const all = readdirSync(folder, { recursive: true })
  .map(String)
  .filter((f) => /\/\d+\.yaml$/.test(f));

test.each(all)("%s follows the schema", (name) => {
  validate(parse(read(name)));
  expect(validate.errors).toBeNull();
});

test("the schema refuses an unknown word, a bad phase and an answer without a tone", () => {
  const good = parse(read("cold-cure-3mm/3.yaml"));
  expect(validate({ ...good, colour: "blue" })).toBe(false);
  expect(validate({ ...good, steps: [{ ...good.steps[0], phase: "polish" }] })).toBe(false);
  const { tone: _, ...answer } = good.steps.find((s: { check?: object }) => s.check).check.answers[0];
  const check = { question: "?", answers: [answer, answer] };
  expect(validate({ ...good, steps: [{ ...good.steps[5], check }] })).toBe(false);
});
