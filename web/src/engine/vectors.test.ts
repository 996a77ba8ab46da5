import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "vitest";
import { type BatchNext, type BatchStrand, nextAct, runUp, startsItself } from "./batch";
import { uncounted } from "./containers";
import { bent, lossVerdict, traceKeeps } from "./loss";
import { satisfied } from "./preflight";
import { apply } from "./project";
import { judgeReference } from "./reference";
import type { EndEvent, S } from "./types";
import { advance, type Position, start } from "./walk";

const folder = new URL("../../../.rhabdon/vectors/", import.meta.url);
function read<T>(name: string): T {
  if (!existsSync(new URL(name, folder)))
    throw new Error("Core's tests write the vectors: run them first (./rhabdon test does).");
  return JSON.parse(readFileSync(new URL(name, folder), "utf8"));
}

type Walks = { tables: S["RunTable"][]; walks: { table: number; inputs: string; end: Position; rungs: string[] }[] };
const { tables, walks } = read<Walks>("walks.json");

function walkAll({ tables, walks }: Walks) {
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
}

test("ten thousand walks of every procedure end as in Core", () => {
  expect(walks.length).toBeGreaterThanOrEqual(10_000);
  walkAll({ tables, walks });
});

test("every choice of a school with every choice of every other is walked as in Core", () => {
  const pairs = read<Walks>("pairs.json");
  expect(pairs.tables.length).toBeGreaterThan(300);
  walkAll(pairs);
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

test("what a device lays over an end while there is no network is what Core makes of it", () => {
  type Told = { table: number; events: EndEvent[]; states: S["EndState"][] };
  type Count = { run: S["AttemptState"]; counted: string | null; isCounted: boolean };
  const { told, counts } = read<{ told: Told[]; counts: Count[] }>("projections.json");
  // What Core alone judges, and how far each device was heard, a device does not work out.
  const seen = (s: S["EndState"]) => ({
    ...s,
    devices: [],
    attempts: s.attempts.map((a) => ({ ...a, deviations: [], timer: a.timer?.stepId })),
  });
  expect(told.length).toBeGreaterThan(30);
  for (const { table, events, states } of told)
    for (const [i, event] of events.entries()) {
      const undone = events.findIndex((e) => e.id === (event.body as { eventId?: string }).eventId);
      const made = apply(states[i] as S["EndState"], event, [tables[table] as S["RunTable"]], states[undone]);
      expect([event.kind, seen(made)]).toEqual([event.kind, seen(states[i + 1] as S["EndState"])]);
    }
  for (const { run, counted, isCounted } of counts) {
    const count = {
      eventId: "",
      at: counted ?? "",
      by: "",
      made: 0,
      counted: 0,
      saidMade: 0,
      note: null,
      floorChecked: false,
    };
    const batch = { id: run.batchId ?? "", lastAt: null, found: 0, counts: counted ? [count] : [], off: 0 };
    expect(uncounted(run, [batch])).toBe(!isCounted);
  }
});

test("acts that one tap may say, whether a reference holds, and how a loss stands to its limit, are as in Core", () => {
  type RunUp = { table: number; id: string; blocked: string[]; timerUp: boolean; acts: string[]; itself: boolean };
  type Ref = {
    level: { dbm: number; setAt: string; checkDbm: number | null; checkedAt: string | null } | null;
    wavelengthNm: number;
    now: string;
    judged: S["ReferenceJudgement"];
  };
  type Loss = { lossDb: number; limitDb: number; repeatabilityDb: number; verdict: S["LossVerdict"] };
  const { runUps, rule, references, losses, leastDb, bends, pair, traces } = read<{
    runUps: RunUp[];
    rule: S["ReferenceRule"];
    references: Ref[];
    losses: Loss[];
    leastDb: number;
    pair: S["TraceLimits"];
    traces: { loss: number; reflectance: number | null; lossPass: boolean; reflectancePass: boolean }[];
    bends: { lossesDb: Record<number, number>; seen: boolean }[];
  }>("references.json");
  for (const x of traces)
    expect([x, traceKeeps(x.loss, x.reflectance, pair)]).toEqual([
      x,
      { loss: x.lossPass, reflectance: x.reflectancePass },
    ]);
  for (const b of bends) expect([b, bent(b.lossesDb, leastDb)]).toEqual([b, b.seen]);
  for (const l of losses) expect([l, lossVerdict(l.lossDb, l.limitDb, l.repeatabilityDb)]).toEqual([l, l.verdict]);
  for (const r of runUps) {
    const table = tables[r.table] as S["RunTable"];
    expect(runUp(table, r.id, new Set(r.blocked), r.timerUp).map((s) => s.id)).toEqual(r.acts);
    expect([r.id, startsItself(table.states.find((s) => s.id === r.id))]).toEqual([r.id, r.itself]);
  }
  for (const { level: l, wavelengthNm, now, judged } of references) {
    const level = l && { dbm: l.dbm, at: l.setAt, check: l.checkDbm, checkedAt: l.checkedAt ?? undefined };
    const made = judgeReference(level ?? undefined, wavelengthNm, rule, Date.parse(now));
    expect({ ...made, ageHours: 0 }).toEqual({ ...judged, ageHours: 0 });
    expect(made.ageHours).toBeCloseTo(judged.ageHours, 9);
  }
});

test("refuses a step that does not wait, and an answer that is not there", () => {
  const table = tables[0] as S["RunTable"];
  expect(advance(table, start(table), "no-such-step", "done")).toBeNull();
  expect(advance(table, start(table), table.start, "perhaps")).toBeNull();
});
