import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "vitest";
import type { S } from "../../api/client";
import { type BatchNext, type BatchStrand, nextAct } from "./batch";
import { satisfied } from "./preflight";
import { advance, type Position, start } from "./walk";

const folder = new URL("../../../../.rhabdon/vectors/", import.meta.url);
function read<T>(name: string): T {
  if (!existsSync(new URL(name, folder)))
    throw new Error("Core's tests write the vectors: run them first (./rhabdon test does).");
  return JSON.parse(readFileSync(new URL(name, folder), "utf8"));
}

type Walks = { tables: S["RunTable"][]; walks: { table: number; inputs: string; end: Position; rungs: string[] }[] };
const { tables, walks } = read<Walks>("walks.json");

test("ten thousand walks of every procedure end as in Core", () => {
  expect(walks.length).toBeGreaterThanOrEqual(10_000);
  for (const walk of walks) {
    const table = tables[walk.table] as S["RunTable"];
    let position = start(table);
    const rungs: string[] = [];
    for (const digit of walk.inputs) {
      const state = table.states.find((s) => s.id === position.stateId) as S["RunState"];
      const move = advance(table, position, state.id, Object.keys(state.on)[Number(digit)] as string);
      if (!move) throw new Error(`refused at ${table.procedureId} ${state.id}`);
      if (move.rung) rungs.push(move.rung.id);
      position = move.position;
    }
    expect({ position, rungs }).toEqual({ position: walk.end, rungs: walk.rungs });
  }
});

test("a batch's next act and a pre-flight are judged as in Core", () => {
  type Batch = {
    table: number;
    strands: BatchStrand[];
    last: string | null;
    blocked: string[];
    now: string;
    next: BatchNext;
  };
  type Pre = {
    item: S["PreflightItem"];
    answer: S["PreflightAnswer"] | null;
    now: string;
    timeZone: string;
    satisfied: boolean;
  };
  const { batches, preflights } = read<{ batches: Batch[]; preflights: Pre[] }>("batches.json");
  for (const b of batches) {
    const next = nextAct(tables[b.table] as S["RunTable"], b.strands, b.last, new Set(b.blocked), Date.parse(b.now));
    expect(next).toEqual(b.next);
  }
  for (const p of preflights)
    expect([p.item.id, satisfied(p.item, p.answer, Date.parse(p.now), p.timeZone)]).toEqual([p.item.id, p.satisfied]);
});

test("refuses a step that does not wait, and an answer that is not there", () => {
  const table = tables[0] as S["RunTable"];
  expect(advance(table, start(table), "no-such-step", "done")).toBeNull();
  expect(advance(table, start(table), table.start, "perhaps")).toBeNull();
});
