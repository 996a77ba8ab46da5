import { expect, test } from "vitest";
import vectors from "../../../../tests/vectors/walks.json";
import type { S } from "../../api/client";
import { advance, type Position, start } from "./walk";

const tables = vectors.tables as unknown as S["RunTable"][];
const walks = vectors.walks as unknown as { procedureId: string; inputs: [string, string][]; end: Position }[];

test("walks every vector of Core to the same place", () => {
  expect(walks.length).toBeGreaterThan(100);
  for (const walk of walks) {
    const table = tables.find((x) => x.procedureId === walk.procedureId) as S["RunTable"];
    let position = start(table);
    for (const [step, input] of walk.inputs) {
      const move = advance(table, position, step, input);
      if (!move) throw new Error(`refused ${step} ${input}`);
      position = move.position;
    }
    expect(position).toEqual(walk.end);
  }
});

test("refuses a step that does not wait, and an answer that is not there", () => {
  const table = tables[0] as S["RunTable"];
  expect(advance(table, start(table), "housing", "done")).toBeNull();
  expect(advance(table, start(table), table.start, "perhaps")).toBeNull();
});
