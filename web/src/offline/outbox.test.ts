import "fake-indexeddb/auto";
import { v7 as uuid7 } from "uuid";
import { beforeEach, expect, test, vi } from "vitest";
import { db } from "./db";
import { aside, flush, keep, keepFile, NotKept, outbox, whenTaken } from "./outbox";

const END = "00000000-0000-7000-8000-000000000001";
const note = () => ({ endId: END, attempt: 1, kind: "noted" as const, body: { text: "x" } });
let sent: string[][] = [];

/** A server that answers as told, and remembers what it was sent. */
function serverThat(
  answer: "takes" | "is away" | "breaks" | "takes but is not heard" | "takes but is cut off" | "takes half an answer",
) {
  vi.stubGlobal("fetch", async (_: string, init: RequestInit) => {
    if (answer === "is away") throw new TypeError("network");
    if (answer === "breaks") return new Response(JSON.stringify({ title: "broke", refusals: [] }), { status: 500 });
    const events = JSON.parse(String(init.body)) as { id: string }[];
    sent.push(events.map((e) => e.id));
    if (answer === "takes but is not heard") throw new TypeError("network");
    const whole = JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] });
    if (answer === "takes half an answer") return new Response(whole.slice(0, whole.length / 2));
    if (answer === "takes but is cut off")
      return new Response(
        new ReadableStream({
          start(body) {
            body.enqueue(new TextEncoder().encode(whole.slice(0, 20)));
            body.error(new TypeError("network"));
          },
        }),
      );
    return new Response(whole);
  });
}

beforeEach(async () => {
  await Promise.all([db.outbox.clear(), db.meta.clear(), db.aside.clear(), db.files.clear()]);
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

test.each(["takes but is cut off", "takes half an answer"] as const)(
  "an answer cut off in the middle (%s) makes no save throw: the event stays, is counted once and goes out again",
  async (how) => {
    serverThat(how);
    const [event] = await keep("actor", [note()]);
    await expect(flush()).resolves.toBeUndefined();
    expect([await db.outbox.count(), outbox.count()]).toEqual([1, 1]);
    serverThat("takes");
    await flush();
    expect(sent).toEqual([[event?.id], [event?.id]]);
    expect([await db.outbox.count(), outbox.count(), await db.aside.count()]).toEqual([0, 0, 0]);
  },
);

/** A server that answers any request with this event in it as told, and takes the others. */
function serverThatRefuses(id: string, status: number, well = true) {
  vi.stubGlobal("fetch", async (_: string, init: RequestInit) => {
    if (init.method === "GET") return new Response("{}", { status: well ? 200 : 500 });
    const events = JSON.parse(String(init.body)) as { id: string }[];
    if (events.some((e) => e.id === id))
      return new Response(JSON.stringify({ status, title: "not this one", refusals: [] }), { status });
    sent.push(events.map((e) => e.id));
    return new Response(JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] }));
  });
}

test("a lasting refusal of one event moves it aside with its words, and the others go", async () => {
  serverThat("is away");
  const made = await keep("actor", Array.from({ length: 7 }, note));
  const bad = made[3]?.id ?? "";
  serverThatRefuses(bad, 422);
  await flush();
  expect(sent.flat()).toEqual(made.filter((e) => e.id !== bad).map((e) => e.id));
  expect(await db.outbox.count()).toBe(0);
  const [kept] = await db.aside.toArray();
  expect([kept?.id, kept?.why]).toEqual([bad, "not this one"]);
  serverThat("takes");
  if (kept) await aside.again(kept);
  expect([sent.at(-1), await db.aside.count()]).toEqual([[bad], 0]);
});

test("a server that breaks over one event gets it a few times more, and no sign-in that ran out loses one", async () => {
  serverThat("is away");
  const made = await keep("actor", [note(), note()]);
  const bad = made[0]?.id ?? "";
  serverThatRefuses(bad, 401);
  await flush();
  expect(await db.outbox.count()).toBe(2);
  serverThatRefuses(bad, 500, false);
  for (let i = 0; i < 9; i++) await flush();
  serverThatRefuses(bad, 500);
  for (let i = 0; i < 4; i++) await flush();
  expect([await db.outbox.count(), await db.aside.count()]).toEqual([2, 0]);
  await flush();
  expect([await db.outbox.count(), await db.aside.count()]).toEqual([0, 1]);
});

test("many events go out in requests of 500, and the screen hears of each before it leaves", async () => {
  serverThat("takes");
  const left: number[] = [];
  whenTaken(async () => void left.push(await db.outbox.count()));
  await keep("actor", Array.from({ length: 1050 }, note));
  await flush();
  expect(sent.map((s) => s.length)).toEqual([500, 500, 50]);
  expect(left).toEqual([1050, 550, 50]);
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

test("a picture waits with the events that name it, and goes before them under its own id", async () => {
  const calls: string[] = [];
  vi.stubGlobal("fetch", async () => {
    throw new TypeError("network");
  });
  const id = uuid7();
  await keepFile(id, `/api/ends/${END}/pictures?id=${id}`, new Blob(["glass"], { type: "image/png" }), END);
  await keep("actor", [note()]);
  await flush();
  expect([await db.files.count(), await db.outbox.count()]).toEqual([1, 1]);
  vi.stubGlobal("fetch", async (path: string, init: RequestInit) => {
    calls.push(path);
    if (path.includes("pictures")) return new Response(JSON.stringify({ pictureId: id }));
    const events = JSON.parse(String(init.body)) as { id: string }[];
    return new Response(JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] }));
  });
  await flush();
  expect(calls).toEqual([`/api/ends/${END}/pictures?id=${id}`, "/api/ledger"]);
  expect([await db.files.count(), await db.outbox.count()]).toEqual([0, 0]);
});

test("a file that the server will not have is moved aside with its bytes, and stops no event", async () => {
  const id = uuid7();
  vi.stubGlobal("fetch", async (path: string, init: RequestInit) => {
    if (path.includes("pictures"))
      return new Response(JSON.stringify({ status: 422, title: "no picture", refusals: [] }), { status: 422 });
    const events = JSON.parse(String(init.body)) as { id: string }[];
    return new Response(JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] }));
  });
  await keepFile(id, `/api/ends/${END}/pictures?id=${id}`, new Blob(["mud"]), END);
  await keep("actor", [note()]);
  await flush();
  expect([await db.files.count(), await db.outbox.count()]).toEqual([0, 0]);
  const [kept] = await db.aside.toArray();
  expect([kept?.why, kept?.file?.bytes.byteLength]).toEqual(["no picture", 3]);
});
