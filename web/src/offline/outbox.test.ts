import "fake-indexeddb/auto";
import { beforeEach, expect, test, vi } from "vitest";
import { db } from "./db";
import { flush, keep, NotKept, outbox, whenTaken } from "./outbox";

const END = "00000000-0000-7000-8000-000000000001";
const note = () => ({ endId: END, attempt: 1, kind: "noted" as const, body: { text: "x" } });
let sent: string[][] = [];

/** A server that answers as told, and remembers what it was sent. */
function serverThat(answer: "takes" | "is away" | "breaks" | "takes but is not heard") {
  vi.stubGlobal("fetch", async (_: string, init: RequestInit) => {
    if (answer === "is away") throw new TypeError("network");
    if (answer === "breaks") return new Response(JSON.stringify({ title: "broke", refusals: [] }), { status: 500 });
    const events = JSON.parse(String(init.body)) as { id: string }[];
    sent.push(events.map((e) => e.id));
    if (answer === "takes but is not heard") throw new TypeError("network");
    return new Response(JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] }));
  });
}

beforeEach(async () => {
  await Promise.all([db.outbox.clear(), db.meta.clear()]);
  sent = [];
  whenTaken(() => {});
});

test("events wait while there is no signal, and go out once, in order", async () => {
  serverThat("is away");
  const ids: string[] = [];
  for (let i = 0; i < 3; i++) ids.push(...(await keep("actor", [note()])).map((e) => e.id));
  await flush();
  expect(await db.outbox.count()).toBe(3);
  serverThat("takes");
  await flush();
  expect(sent).toEqual([ids]);
  expect(await db.outbox.count()).toBe(0);
  await flush();
  expect(sent).toHaveLength(1);
});

test("a server that breaks, or that dies before it answers, loses nothing: the same events go out again", async () => {
  serverThat("breaks");
  const [event] = await keep("actor", [note()]);
  await flush();
  serverThat("takes but is not heard");
  await flush();
  expect(await db.outbox.count()).toBe(1);
  serverThat("takes");
  await flush();
  expect(sent).toEqual([[event?.id], [event?.id]]);
  expect(await db.outbox.count()).toBe(0);
});

test("many events go out in requests of 200, and the screen hears of each before it leaves", async () => {
  serverThat("takes");
  const left: number[] = [];
  whenTaken(async () => void left.push(await db.outbox.count()));
  await keep("actor", Array.from({ length: 450 }, note));
  await flush();
  expect(sent.map((s) => s.length)).toEqual([200, 200, 50]);
  expect(left).toEqual([450, 250, 50]);
});

test("numbers rise by one over everything that the device writes at once", async () => {
  serverThat("is away");
  const made = (await Promise.all([keep("a", [note(), note()]), keep("a", [note()])])).flat();
  const seqs = made.map((e) => e.deviceSeq).sort((a, b) => a - b);
  expect(seqs.map((s) => s - (seqs[0] ?? 0))).toEqual([0, 1, 2]);
  expect(new Set(made.map((e) => e.deviceId)).size).toBe(1);
});

test("a device without room sends at once, and where it cannot, says that nothing was done", async () => {
  const full = vi.spyOn(db.outbox, "bulkAdd").mockRejectedValue(new DOMException("full", "QuotaExceededError"));
  serverThat("takes");
  await keep("actor", [note()]);
  expect(sent).toHaveLength(1);
  serverThat("is away");
  await expect(keep("actor", [note()])).rejects.toBeInstanceOf(NotKept);
  full.mockRestore();
});

test("whoever watches is told how many wait", async () => {
  serverThat("is away");
  const seen = new Set<number>();
  const stop = outbox.subscribe(() => seen.add(outbox.count()));
  await keep("actor", [note()]);
  await keep("actor", [note()]);
  await vi.waitFor(() => expect(seen.has(2)).toBe(true));
  stop();
});
