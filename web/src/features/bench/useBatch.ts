import Dexie from "dexie";
import { useEffect, useMemo, useRef, useState } from "react";
import { v7 as uuid7 } from "uuid";
import { answered, http, type S } from "../../api/client";
import { useSession } from "../../api/hooks";
import { type BatchStrand, nextAct, runUp, startsItself } from "../../engine/batch";
import { blockedSteps } from "../../engine/preflight";
import { apply, current, isFor, isOpen, schoolsOf, tableOf } from "../../engine/project";
import { DONE } from "../../engine/walk";
import { usedBy } from "../../engine/wear";
import { db, isOfEnd } from "../../offline/db";
import type { Draft, StreamDraft } from "../../offline/outbox";
import { undone, useCrewTools, useWrite } from "../../offline/useLedger";

export type Run = { end: S["EndView"]; attempt: S["AttemptState"] };

/** A clock for the screen; timers themselves are end times. */
export function useNow(everyMs = 500) {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const tick = setInterval(() => setNow(Date.now()), everyMs);
    return () => clearInterval(tick);
  }, [everyMs]);
  return now;
}

/** Longer than this no light shines for one act: somebody went away. */
const MOST_LIT_S = 600;

const WALKED = ["attempt-started", "step-done", "check-answered", "timer-started"];

/** The run that still wants something: under way, to be proven, or given up by its ladder and to be made again. */
const openRun = (end: S["EndView"]) => {
  const attempt = current(end.state);
  const wants = attempt && attempt.acceptedAt === null && (isOpen(attempt) || attempt.closed === null);
  return wants ? attempt : undefined;
};

/** Which batch of its panel each was, from 1, by when it was begun: a batch keeps its number when others are over. */
function numbersOf(ends: S["EndView"][]) {
  const begun = new Map<string, string>();
  for (const a of ends.flatMap((e) => e.state.attempts)) {
    const id = a.batchId ?? a.runId;
    const at = begun.get(id);
    if (!at || a.startedAt < at) begun.set(id, a.startedAt);
  }
  return new Map([...begun].sort((a, b) => (a[1] < b[1] ? -1 : 1)).map(([id], i) => [id, i + 1]));
}

/** The batches under way on a panel, the one worked last first. A run from before there were batches is a batch of its own. */
export function batchesOf(ends: S["EndView"][]): { batchId: string; no: number; runs: Run[] }[] {
  const numbers = numbersOf(ends);
  const groups = new Map<string, Run[]>();
  for (const end of ends) {
    const attempt = openRun(end);
    if (!attempt) continue;
    const id = attempt.batchId ?? attempt.runId;
    groups.set(id, [...(groups.get(id) ?? []), { end, attempt }]);
  }
  const latest = (runs: Run[]) =>
    runs.reduce((max, r) => ((r.end.state.lastAt ?? "") > max ? (r.end.state.lastAt ?? "") : max), "");
  return [...groups]
    .map(([batchId, runs]) => ({ batchId, no: numbers.get(batchId) ?? 0, runs }))
    .sort((a, b) => (latest(a.runs) < latest(b.runs) ? 1 : -1));
}

/** Everything that the hands can say of a batch. Each word is kept on the device before the screen moves. */
export function useBatch(bench: S["PanelBench"], batchId: string | undefined, chosen: string | undefined) {
  const write = useWrite();
  const viewer = useSession().data?.person?.role === "viewer";
  const now = useNow();
  const [last, setLast] = useState<string | null>(null);
  const all = useMemo(() => batchesOf(bench.ends), [bench.ends]);
  const batch = all.find((b) => b.batchId === batchId);
  const table = batch?.runs[0] && tableOf(bench.tables, batch.runs[0].attempt);
  const runs = batch?.runs ?? [];
  const answers = runs[0]?.attempt.preflight ?? [];
  const blocked = table ? blockedSteps(table, answers, now, bench.timeZone) : new Map<string, S["PreflightItem"][]>();
  const held = new Set(blocked.keys());
  const strands: BatchStrand[] = runs.map((r) => ({
    id: r.end.endId,
    position: r.attempt.position,
    timerEndsAt: r.attempt.timer?.endsAt ?? null,
  }));
  const best = table ? nextAct(table, strands, last, held, now) : undefined;
  const own = runs.find((r) => r.end.endId === chosen && r.attempt.position.stateId !== null);
  const at = own ?? runs.find((r) => r.end.endId === best?.strandId);
  const state = table?.states.find((s) => s.id === at?.attempt.position.stateId);
  const together =
    state && (state.batch || (table?.together ?? 1) > 1)
      ? runs.filter((r) => r.attempt.position.stateId === state.id)
      : at
        ? [at]
        : [];
  const timerUp = at?.attempt.timer?.stepId === state?.id && Date.parse(at?.attempt.timer?.endsAt ?? "") <= now;
  const acts = table && state ? runUp(table, state.id, held, timerUp) : [];

  // How long the act has been on the card: as long a light that it needs has shone.
  const shown = useRef({ key: "", at: 0 });
  const key = `${at?.attempt.runId}.${state?.id}`;
  if (shown.current.key !== key) shown.current = { key, at: Date.now() };

  const crewId = useSession().data?.person?.crewId;
  const tools = useCrewTools();
  /** What acts did to the tools that the run names: said of the tools themselves, once. */
  const wear = (who: Run[], done: S["RunState"][]): StreamDraft[] => {
    const litS = Math.min(MOST_LIT_S, Math.round((Date.now() - shown.current.at) / 1000));
    return (who[0]?.attempt.toolIds ?? []).flatMap((id) => {
      const tool = tools.find((x) => x.id === id);
      const used = tool && usedBy(tool.kind, done, who.length, litS);
      return used ? [{ stream: "tool", streamId: id, kind: "tool-used", body: { ...used, batchId } } as const] : [];
    });
  };
  const polished = (film: string, sheet: SheetUse): StreamDraft[] => {
    const of = { stream: "tool", streamId: sheet.id } as const;
    const limit = state?.count?.sheetLimit;
    return [
      ...(sheet.fresh && crewId
        ? [
            {
              ...of,
              kind: "tool-added" as const,
              body: { crewId, kind: "film-sheet", name: film, life: limit ? { strokesOfSheet: limit } : null },
            },
          ]
        : []),
      ...(crewId ? [{ ...of, kind: "tool-used" as const, body: { strokes: sheet.strokes, batchId } }] : []),
    ];
  };
  const sheetDone = (id: string) =>
    crewId && say([{ stream: "tool", streamId: id, kind: "tool-retired", body: { note: null } }]);

  const say = async (drafts: Draft[]) => {
    if (viewer) return false;
    const now = new Map(bench.ends.map((e) => [e.endId, e.state]));
    const done = await write(drafts, (events) =>
      // Several events of one end in one tap: each finds what the one before left.
      events.flatMap((e, i) => {
        if (!isOfEnd(e)) return [];
        const before = now.get(e.endId);
        if (!before || !WALKED.includes(e.kind)) return [];
        now.set(e.endId, apply(before, e, bench.tables));
        const { stepId, answerId } = e.body as { stepId?: string; answerId?: string };
        const answer = events[i - 1];
        const because =
          e.kind === "timer-started" && answer?.kind === "check-answered" && answer.endId === e.endId
            ? answer.id
            : undefined;
        return [{ eventId: e.id, endId: e.endId, seq: e.deviceSeq, before, stepId, answerId, because }];
      }),
    );
    return done.ok;
  };

  const walked = (
    run: Run,
    stepId: string,
    input: string,
    count?: number | null,
    sheet?: { id: string; total: number } | null,
    ends = 1,
  ): Draft => {
    const of = { endId: run.end.endId, attempt: run.attempt.no };
    const timer = run.attempt.timer;
    const elapsedS =
      timer?.stepId === stepId ? Math.round((Date.now() - Date.parse(timer.startedAt)) / 100) / 10 : null;
    return input === DONE
      ? {
          ...of,
          kind: "step-done",
          body: {
            runId: run.attempt.runId,
            stepId,
            elapsedS,
            count: count ?? null,
            sheetId: sheet?.id ?? null,
            sheetTotal: sheet?.total ?? null,
            together: ends > 1 ? ends : null,
          },
        }
      : {
          ...of,
          kind: "check-answered",
          body: {
            runId: run.attempt.runId,
            stepId,
            answerId: input,
            elapsedS,
            note: null,
            together: ends > 1 ? ends : null,
          },
        };
  };

  /** One tap: the acts up to the check are done, and the check is answered. */
  const answer = (answerId: string, count?: number | null, splice?: SpliceSaid | null) => {
    const check = acts.at(-1);
    if (!at || !check?.question) return;
    // What is the same for all is asked once, and is nobody's haste: it is not kept as said together.
    const who = check.once || (table?.together ?? 1) > 1 ? together : [at];
    const ends = check.once ? 1 : who.length;
    setLast(at.end.endId);
    return say([
      ...wear(who, acts),
      ...who.flatMap((run) => [
        ...acts.slice(0, -1).map((s, i) => walked(run, s.id, DONE, i === 0 ? count : null, null, ends)),
        ...(splice
          ? [
              {
                endId: run.end.endId,
                attempt: run.attempt.no,
                kind: "splice-read" as const,
                body: { runId: run.attempt.runId, estimated: true, note: null, ...splice },
              },
            ]
          : []),
        walked(run, check.id, answerId, null, null, ends),
        ...itself(run, check, answerId),
      ]),
    ]);
  };

  /** The hands hold from the moment at which they said so: that timer wants no tap of its own. */
  const itself = (run: Run, check: S["RunState"], answerId: string): Draft[] => {
    const next = table?.states.find((s) => s.id === check.on[answerId]?.to);
    return next && startsItself(next) && !held.has(next.id) ? [timed(run, next)] : [];
  };

  const timed = (run: Run, step: S["RunState"]): Draft => ({
    endId: run.end.endId,
    attempt: run.attempt.no,
    kind: "timer-started",
    body: { runId: run.attempt.runId, stepId: step.id },
  });

  const done = (everybody: boolean, count: number | null, withSheet: (ends: number) => SheetUse | null) => {
    if (!at || !state || state.question) return;
    const who = everybody || state.once || (table?.together ?? 1) > 1 ? together : [at];
    setLast(at.end.endId);
    const sheet = withSheet(who.length);
    return say([
      ...wear(who, [state]),
      ...(sheet && state.count?.film ? polished(state.count.film, sheet) : []),
      ...who.map((run) => walked(run, state.id, DONE, count, sheet, state.once ? 1 : who.length)),
    ]);
  };

  /** The timer that a tap would start now: of the act that waits, or behind acts that the tap says besides. */
  const toStart = acts.at(-1)?.timer && !acts.at(-1)?.question && !timerUp ? acts.at(-1) : undefined;

  const startTimer = (count: number | null) => {
    if (!at || !toStart || at.attempt.timer?.stepId === toStart.id) return;
    const who = (table?.together ?? 1) > 1 ? together : [at];
    const before = acts.slice(0, -1);
    setLast(at.end.endId);
    return say([
      ...wear(who, before),
      ...who.flatMap((run) => [
        ...before.map((s, i) => walked(run, s.id, DONE, i === 0 ? count : null, null, who.length)),
        timed(run, toStart),
      ]),
    ]);
  };

  /** Takes back the last thing that was said of this strand. */
  const undo = async (endId: string | undefined) => {
    const end = bench.ends.find((e) => e.endId === endId);
    const run = end && current(end.state);
    if (!end || !run || viewer) return false;
    const step = await lastStep(end.endId);
    const because = step?.because ? await db.steps.get(step.because) : undefined;
    const steps = [step, because].filter((x) => x !== undefined);
    for (const x of steps) undone.set(x.eventId, x.before);
    const eventIds = steps.length > 0 ? steps.map((x) => x.eventId) : await lastInRecord(end.endId, run.no);
    if (eventIds.length === 0) return false;
    setLast(end.endId);
    const ok = (
      await write(
        eventIds.map((eventId) => ({
          endId: end.endId,
          attempt: run.no,
          kind: "corrected",
          body: { eventId, note: null },
        })),
      )
    ).ok;
    if (ok) for (const x of steps) await db.steps.update(x.eventId, { undone: true });
    return ok;
  };

  const preflight = (item: S["PreflightAnswer"]) => {
    const { said, answers: cited } = saidOnce(crewId, [item]);
    return say([
      ...said,
      ...runs.map((r) => ({
        endId: r.end.endId,
        attempt: r.attempt.no,
        kind: "preflight-answered" as const,
        body: { runId: r.attempt.runId, answer: cited[0] },
      })),
    ]);
  };

  return {
    all,
    batch,
    runs,
    table,
    at,
    state,
    together,
    acts,
    timerUp,
    toStart,
    best,
    blocked,
    batches: bench.batches,
    answers,
    now,
    viewer,
    last,
    say,
    answer,
    done,
    sheetDone,
    startTimer,
    undo,
    preflight,
    setLast,
  };
}

/** The last thing that this device said of an end, if it is not taken back. */
export const lastStep = (endId: string) =>
  db.steps
    .where("[endId+seq]")
    .between([endId, Dexie.minKey], [endId, Dexie.maxKey])
    .filter((x) => !x.undone)
    .last();

/** The last thing that anybody said of an end's run: of what another device said, this one has no way back of its own. */
async function lastInRecord(endId: string, attempt: number): Promise<string[]> {
  const record = await answered(http.GET("/api/ends/{endId}/record", { params: { path: { endId } } })).catch(
    () => undefined,
  );
  const last = record?.entries.filter((e) => !e.struck && WALKED.includes(e.kind) && e.attempt === attempt).at(-1);
  return last ? [last.eventId] : [];
}

/** A film's sheet and what was polished on it just now. */
export type SheetUse = { id: string; total: number; strokes: number; fresh: boolean };

/** What the splicer shows of a splice. */
export type SpliceSaid = { lossDb: number; leftAngleDeg: number | null; rightAngleDeg: number | null };

export type Batch = ReturnType<typeof useBatch>;

/** Lots, dates and numbers are the crew's to say: once, and each run cites that. */
function saidOnce(crewId: string | null | undefined, answers: S["PreflightAnswer"][]) {
  const said: StreamDraft[] = [];
  const cited = answers.map((a) => {
    if (!crewId || a.saidIn || !(a.lot || a.useBy || typeof a.number === "number")) return a;
    const id = uuid7();
    const { saidIn: _, ...answer } = a;
    said.push({ id, stream: "crew", streamId: crewId, kind: "kit-said", body: { answer } });
    return { ...a, saidIn: id };
  });
  return { said, answers: cited };
}

/** The drafts that begin a batch on these ends. */
export function beginBatch(
  ends: S["EndView"][],
  table: S["RunTable"],
  preflight: S["PreflightAnswer"][],
  crewId?: string | null,
  toolIds: string[] = [],
  inSpiteOf?: string,
): { batchId: string; drafts: Draft[] } {
  const batchId = uuid7();
  const { said, answers } = saidOnce(crewId, preflight);
  const drafts = ends.map((end) => ({
    endId: end.endId,
    attempt: (current(end.state)?.no ?? 0) + 1,
    kind: "attempt-started" as const,
    body: {
      procedureId: table.procedureId,
      procedureVersion: table.version,
      procedureHash: table.hash,
      batchId,
      schools: schoolsOf(table),
      preflight: answers,
      toolIds,
      inSpiteOf: inSpiteOf ?? null,
    },
  }));
  return { batchId, drafts: [...said, ...drafts] };
}

/** The table that an end not begun yet would follow. */
export const plannedTable = (bench: S["PanelBench"], end: S["EndView"]) =>
  bench.tables.find((t) => t.procedureId === end.procedureId && t.version === end.procedureVersion && isFor(t, end));
