import { get as httpGet, NoSignal, post, type S } from "../api/client";

/** An event as the ledger takes it in. */
export type LedgerEvent = {
  id: string;
  endId: string;
  attempt: number;
  kind: S["EventKind"];
  at: string;
  deviceId: string;
  deviceSeq: number;
  actorId: string;
  body: unknown;
};

const WAITING = "rhabdon.outbox";
const DEVICE = "rhabdon.device";
const SEQ = "rhabdon.seq";
const BATCH = 200;

const listeners = new Set<() => void>();
let sending: Promise<S["IntakeResult"][]> | null = null;

const read = (): LedgerEvent[] => JSON.parse(localStorage.getItem(WAITING) ?? "[]");

function write(events: LedgerEvent[]) {
  localStorage.setItem(WAITING, JSON.stringify(events));
  for (const tell of listeners) tell();
}

export const outbox = {
  count: () => read().length,
  holds: (endId: string) => read().some((e) => e.endId === endId),
  subscribe: (tell: () => void) => {
    listeners.add(tell);
    return () => void listeners.delete(tell);
  },
};

/** A UUID of version 7: time first, so that ids sort as they were made. */
export function uuid7(now = Date.now()): string {
  const b = crypto.getRandomValues(new Uint8Array(16));
  let ms = now;
  for (let i = 5; i >= 0; i--) {
    b[i] = ms % 256;
    ms = Math.floor(ms / 256);
  }
  b[6] = 0x70 | ((b[6] as number) & 0x0f);
  b[8] = 0x80 | ((b[8] as number) & 0x3f);
  const hex = [...b].map((x) => x.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

function device() {
  let id = localStorage.getItem(DEVICE);
  if (!id) {
    id = uuid7();
    localStorage.setItem(DEVICE, id);
  }
  return id;
}

export function makeEvent(
  actorId: string,
  endId: string,
  attempt: number,
  kind: S["EventKind"],
  body: unknown,
): LedgerEvent {
  const deviceSeq = Number(localStorage.getItem(SEQ) ?? "0") + 1;
  localStorage.setItem(SEQ, String(deviceSeq));
  return {
    id: uuid7(),
    endId,
    attempt,
    kind,
    at: new Date().toISOString(),
    deviceId: device(),
    deviceSeq,
    actorId,
    body,
  };
}

/** Keeps the events on this device first, then sends what waits, in order. Never throws for a missing signal. */
export async function keepAndSend(events: LedgerEvent[]): Promise<S["IntakeResult"][]> {
  write([...read(), ...events]);
  return flush();
}

export function flush(): Promise<S["IntakeResult"][]> {
  sending ??= send().finally(() => {
    sending = null;
  });
  return sending;
}

async function send(): Promise<S["IntakeResult"][]> {
  const results: S["IntakeResult"][] = [];
  for (let batch = read().slice(0, BATCH); batch.length > 0; batch = read().slice(0, BATCH)) {
    try {
      results.push(await post<S["IntakeResult"]>("/api/ledger", batch));
    } catch (e) {
      if (e instanceof NoSignal) return results;
      throw e;
    }
    const sent = new Set(batch.map((b) => b.id));
    write(read().filter((e) => !sent.has(e.id)));
  }
  return results;
}

/** True when the server answers. */
export const reachable = () =>
  httpGet("/api/session").then(
    () => true,
    () => false,
  );
