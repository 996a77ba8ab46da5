import { liveQuery } from "dexie";
import { v7 as uuid7 } from "uuid";
import { ApiError, isWell, type S, send as sendOut, upload } from "../api/send";
import { type Aside, db, type EndEvent, type KeptFile, type LedgerEvent, type Step, type StreamEvent } from "./db";

export type { LedgerEvent } from "./db";

/** The device could neither keep an event nor send it: nothing was done. */
export class NotKept extends Error {}

const BATCH = 500;
const listeners = new Set<() => void>();
let waiting: LedgerEvent[] = [];
let pending: string[] = [];
let watching = false;

function show(events: LedgerEvent[]) {
  waiting = events;
  for (const tell of listeners) tell();
}

function showFiles(ids: string[]) {
  pending = ids;
  for (const tell of listeners) tell();
}

/** The ids of pictures and traces that wait on this device. */
export const pendingFiles = () => pending;

/** The events that wait, as the screen sees them; other tabs' events are among them. */
export const outbox = {
  count: () => waiting.length + pending.length,
  waiting: () => waiting,
  subscribe: (tell: () => void) => {
    if (!watching) {
      watching = true;
      liveQuery(() => db.outbox.orderBy("deviceSeq").toArray()).subscribe({ next: show, error: () => {} });
      liveQuery(() => db.files.toCollection().primaryKeys()).subscribe({ next: showFiles, error: () => {} });
    }
    listeners.add(tell);
    return () => void listeners.delete(tell);
  },
};

export type EndDraft = Pick<EndEvent, "endId" | "attempt" | "kind" | "body"> & { id?: string };
export type StreamDraft = Pick<StreamEvent, "stream" | "streamId" | "kind" | "body"> & { id?: string };
export type Draft = EndDraft | StreamDraft;

let lastSeq = 0;
let lastDevice = "";

/** Gives drafts their device, number and time. Numbers are taken where the events are kept, so that two tabs never share one. */
async function number(actorId: string, drafts: Draft[]): Promise<LedgerEvent[]> {
  const device = ((await db.meta.get("device"))?.value as string) ?? uuid7();
  const seq = Math.max(lastSeq, ((await db.meta.get("seq"))?.value as number) ?? 0);
  await db.meta.bulkPut([
    { key: "device", value: device },
    { key: "seq", value: seq + drafts.length },
  ]);
  [lastSeq, lastDevice] = [seq + drafts.length, device];
  return stamp(actorId, drafts, device, seq);
}

const stamp = (actorId: string, drafts: Draft[], deviceId: string, seq: number): LedgerEvent[] =>
  drafts.map((d, i) => ({
    ...d,
    id: d.id ?? uuid7(),
    at: new Date().toISOString(),
    deviceId,
    deviceSeq: seq + i + 1,
    actorId,
  }));

/** Keeps events on this device. Where there is no room, they are sent at once instead; where neither can be, nothing was done. */
export async function keep(
  actorId: string,
  drafts: Draft[],
  wayBack: (events: LedgerEvent[]) => Step[] = () => [],
): Promise<LedgerEvent[]> {
  try {
    const events = await db.transaction("rw", db.meta, db.outbox, db.steps, async () => {
      const made = await number(actorId, drafts);
      await db.outbox.bulkAdd(made);
      await db.steps.bulkPut(wayBack(made));
      return made;
    });
    show([...waiting.filter((w) => events.every((e) => e.id !== w.id)), ...events]);
    return events;
  } catch (e) {
    await flush().catch(() => {});
    const left = await db.outbox.count().catch(() => waiting.length);
    if (left > 0) throw new NotKept(String(e));
    const device = lastDevice || uuid7();
    const events = stamp(actorId, drafts, device, lastSeq);
    lastSeq += drafts.length;
    lastDevice = device;
    try {
      await take(await hand(events));
    } catch {
      throw new NotKept(String(e));
    }
    return events;
  }
}

/** Hands events to the ledger, as they are kept here. */
const hand = async (events: LedgerEvent[]): Promise<S["IntakeResult"]> =>
  JSON.parse(await sendOut("POST", "/api/ledger", JSON.stringify(events)));

type Taken = (result: S["IntakeResult"]) => void | Promise<void>;
let taken: Taken = () => {};

/** What became of the last events that were sent, for screens that say it row by row. */
const outcomes = new Map<string, S["IntakeLine"]>();
const MOST_OUTCOMES = 2000;

/** Undefined while the event waits. */
export const outcomeOf = (eventId: string) => outcomes.get(eventId);

/** Who puts the ledger's answer on screen; it is told before the events leave the outbox. */
export function whenTaken(act: Taken) {
  taken = act;
}

async function take(result: S["IntakeResult"]) {
  for (const r of result.events) if (r.id) outcomes.set(r.id, r);
  for (const id of [...outcomes.keys()].slice(0, Math.max(0, outcomes.size - MOST_OUTCOMES))) outcomes.delete(id);
  await taken(result);
}

let sending: Promise<void> | null = null;

/** Sends what waits, in order, one sender at a time over all tabs. Never throws: what was not taken stays. */
export function flush(): Promise<void> {
  sending ??= alone(send).finally(() => {
    sending = null;
  });
  return sending;
}

async function alone(act: () => Promise<void>): Promise<void> {
  if (typeof navigator !== "undefined" && navigator.locks) await navigator.locks.request("rhabdon-send", act);
  else await act();
}

/** Answers that the same events will get again, however often they are sent. */
const LASTING = new Set([400, 409, 413, 422]);

/** A server that is well, and yet breaks over one event this many times, will not take it while we wait. */
const MOST_BREAKS = 5;
const breaks = new Map<string, number>();

/** Keeps a picture or trace on this device until there is a signal. Events that name it may be written down meanwhile. */
export async function keepFile(id: string, path: string, file: Blob, of: string) {
  const kept = { id, path, bytes: await file.arrayBuffer(), type: file.type, of, at: new Date().toISOString() };
  try {
    await db.files.put(kept);
  } catch (e) {
    throw new NotKept(String(e));
  }
  showFiles([...pending.filter((p) => p !== id), id]);
}

/** Sends the files that wait, before the events that may name them. False where there is no signal. */
async function sendFiles(): Promise<boolean> {
  for (;;) {
    const file = await db.files.orderBy("id").first();
    if (!file) return true;
    try {
      await upload(file.path, new Blob([file.bytes], { type: file.type }));
      await db.files.delete(file.id);
    } catch (e) {
      if (!(e instanceof ApiError)) return false;
      const { status, title } = e.problem;
      const lasting = LASTING.has(status) || status === 404;
      if (!lasting && status < 500) return false;
      if (!lasting) {
        if (!(await isWell())) return false;
        breaks.set(file.id, (breaks.get(file.id) ?? 0) + 1);
        if ((breaks.get(file.id) ?? 0) < MOST_BREAKS) return false;
      }
      await setFileAside(file, title);
    }
  }
}

async function setFileAside(file: KeptFile, why: string) {
  await db.transaction("rw", db.files, db.aside, async () => {
    await db.aside.put({ id: file.id, file, why, at: new Date().toISOString() });
    await db.files.delete(file.id);
  });
  breaks.delete(file.id);
}

async function send() {
  if (!(await sendFiles())) return;
  let size = BATCH;
  for (;;) {
    const batch = await db.outbox.orderBy("deviceSeq").limit(size).toArray();
    if (batch.length === 0) return;
    try {
      await take(await hand(batch));
      await forget(batch);
      size = BATCH;
    } catch (e) {
      if (!(e instanceof ApiError)) return; // no signal, or an answer cut off in its middle: all of it stays, and is sent again
      const { status, title } = e.problem;
      if (!LASTING.has(status) && status < 500) return;
      if (batch.length > 1) {
        size = Math.ceil(batch.length / 2); // one of them it is: halve until it stands alone
        continue;
      }
      const [event] = batch as [LedgerEvent];
      if (!LASTING.has(status)) {
        if (!(await isWell())) return; // nobody's event is at fault
        breaks.set(event.id, (breaks.get(event.id) ?? 0) + 1);
        if ((breaks.get(event.id) ?? 0) < MOST_BREAKS) return;
      }
      await setAside(event, title);
      size = BATCH;
    }
  }
}

async function forget(batch: LedgerEvent[]) {
  await db.outbox.bulkDelete(batch.map((e) => e.deviceSeq));
  const gone = new Set(batch.map((e) => e.id));
  show(waiting.filter((e) => !gone.has(e.id)));
}

async function setAside(event: LedgerEvent, why: string) {
  await db.transaction("rw", db.outbox, db.aside, async () => {
    await db.aside.put({ id: event.id, event, why, at: new Date().toISOString() });
    await db.outbox.delete(event.deviceSeq);
  });
  breaks.delete(event.id);
  show(waiting.filter((e) => e.id !== event.id));
}

/** What the server would not have: kept with its words until somebody sends it again. */
export const aside = {
  /** Puts it back among those that wait. */
  again: async ({ id, event, file }: Aside) => {
    await db.transaction("rw", db.outbox, db.files, db.aside, async () => {
      if (event) await db.outbox.put(event);
      if (file) await db.files.put(file);
      await db.aside.delete(id);
    });
    await flush();
  },
};
