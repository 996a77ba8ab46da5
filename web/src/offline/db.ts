import Dexie, { type EntityTable, type Table } from "dexie";
import type { LedgerEvent, S } from "../engine/types";

export type { EndEvent, LedgerEvent, StreamEvent, StreamEventKind, StreamKind } from "../engine/types";
export { isOfEnd } from "../engine/types";

/**
 * What an end was before an event of this device, so that the event can be taken back with no network.
 * What was said is of `stepId`; `because` is the answer that started a timer with it, and is taken back with it.
 */
export type Step = {
  eventId: string;
  endId: string;
  seq: number;
  before: S["EndState"];
  undone?: boolean;
  stepId?: string;
  answerId?: string;
  because?: string;
};

/** A picture or trace that waits for a signal, as it came. Its id is this device's, so that a retry is the same file. */
export type KeptFile = { id: string; path: string; bytes: ArrayBuffer; type: string; of: string; at: string };

/** An event or a file that the server will not have, with its words: moved aside, so that the others go. */
export type Aside = { id: string; event?: LedgerEvent; file?: KeptFile; why: string; at: string };

type Kept = { path: string; body: unknown; at: string };

/** What this device keeps: events that wait, answers of the server, and the way back. */
class DeviceStore extends Dexie {
  outbox!: Table<LedgerEvent, number>;
  answers!: EntityTable<Kept, "path">;
  steps!: EntityTable<Step, "eventId">;
  meta!: EntityTable<{ key: string; value: unknown }, "key">;
  aside!: EntityTable<Aside, "id">;
  files!: EntityTable<KeptFile, "id">;

  constructor() {
    super("rhabdon");
    this.version(1).stores({ outbox: "deviceSeq", answers: "path", steps: "eventId, [endId+seq]", meta: "key" });
    this.version(2).stores({ aside: "id" });
    this.version(3).stores({ files: "id" });
  }
}

export const db = new DeviceStore();

/** Answers worth keeping for a basement with no network. */
const KEEP = [
  /^\/api\/session$/,
  /^\/api\/today$/,
  /^\/api\/jobs\b/,
  /^\/api\/places\//,
  /^\/api\/procedures\b/,
  /^\/api\/limits$/,
];
const KEEP_MORE = [/^\/api\/tools$/, /^\/api\/choices$/, /^\/api\/crews$/, /^\/api\/ends\b(?!.*record)/];

export const answers = {
  async keep(path: string, body: unknown) {
    if (![...KEEP, ...KEEP_MORE].some((k) => k.test(path))) return;
    await db.answers.put({ path, body, at: new Date().toISOString() }).catch(() => {}); // a full device loses the copy, not the answer
  },
  find: (path: string): Promise<Kept | undefined> => db.answers.get(path).catch(() => undefined),
  /** Puts a newer state of an end into every kept bench that shows it. */
  async renew(states: S["EndState"][]) {
    const byId = new Map(states.map((s) => [s.endId, s]));
    await db.answers
      .where("path")
      .startsWith("/api/places/")
      .modify((kept) => {
        const bench = kept.body as S["PanelBench"];
        if (bench.ends.some((e) => byId.has(e.endId)))
          kept.body = { ...bench, ends: bench.ends.map((e) => ({ ...e, state: byId.get(e.endId) ?? e.state })) };
      })
      .catch(() => {});
  },
  /** Somebody else may sign in here: what waits stays, what was read goes. */
  clear: () => db.answers.clear().catch(() => {}),
};
