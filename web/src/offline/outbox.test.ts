import { beforeEach, expect, test, vi } from "vitest";
import { ApiError } from "../api/client";
import { flush, keepAndSend, makeEvent, outbox } from "./outbox";

const END = "00000000-0000-7000-8000-000000000001";
const note = () => makeEvent("actor", END, 1, "noted", { text: "x" });
let sent: string[][] = [];

/** A server that answers as told, and remembers what it was sent. */
function serverThat(answer: "takes" | "is away" | "breaks") {
  vi.stubGlobal("fetch", async (_: string, init: RequestInit) => {
    if (answer === "is away") throw new TypeError("network");
    if (answer === "breaks") return new Response(JSON.stringify({ title: "broke", refusals: [] }), { status: 500 });
    const events = JSON.parse(String(init.body)) as { id: string }[];
    sent.push(events.map((e) => e.id));
    return new Response(JSON.stringify({ events: events.map((e) => ({ id: e.id, outcome: "stored" })), ends: [] }));
  });
}

beforeEach(() => {
  const kept = new Map<string, string>();
  vi.stubGlobal("localStorage", {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => kept.set(k, v),
    removeItem: (k: string) => kept.delete(k),
  });
  sent = [];
});

test("events wait while there is no signal, and go out once, in order", async () => {
  serverThat("is away");
  const events = [note(), note(), note()];
  for (const e of events) expect(await keepAndSend([e])).toEqual([]);
  expect(outbox.count()).toBe(3);
  serverThat("takes");
  await flush();
  expect(sent).toEqual([events.map((e) => e.id)]);
  expect(outbox.count()).toBe(0);
  await flush();
  expect(sent).toHaveLength(1);
});

test("a server that breaks loses nothing", async () => {
  serverThat("breaks");
  await expect(keepAndSend([note()])).rejects.toBeInstanceOf(ApiError);
  expect(outbox.count()).toBe(1);
  serverThat("takes");
  await flush();
  expect(outbox.count()).toBe(0);
});

test("many events go out in requests of 200", async () => {
  serverThat("takes");
  await keepAndSend(Array.from({ length: 450 }, note));
  expect(sent.map((s) => s.length)).toEqual([200, 200, 50]);
});

test("the device counts its events and keeps its name", () => {
  const [a, b] = [note(), note()];
  expect(b.deviceSeq).toBe(a.deviceSeq + 1);
  expect(b.deviceId).toBe(a.deviceId);
  expect(b.id > a.id || b.at === a.at).toBe(true);
});

test("whoever watches is told how many wait", async () => {
  serverThat("is away");
  const seen: number[] = [];
  const stop = outbox.subscribe(() => seen.push(outbox.count()));
  await keepAndSend([note()]);
  await keepAndSend([note()]);
  stop();
  await keepAndSend([note()]);
  expect(seen).toEqual([1, 2]);
});
