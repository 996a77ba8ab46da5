// Bad days: node bench/load.mjs PORT PID uploads|corrections. Fifty pictures of 64 MB at once, or five hundred corrections on one end, and what a bystander waits meanwhile.
import { randomBytes } from "node:crypto";
import { request } from "node:http";
import { readFileSync } from "node:fs";
import { isMainThread, parentPort, Worker, workerData } from "node:worker_threads";

const [port, pid, what] = isMainThread ? process.argv.slice(2) : workerData.args;
const here = { host: "127.0.0.1", port: Number(port) };
let cookies = new Map();
let token = "";

function ask(method, path, body, type = "application/json", bytesPerS = 0) {
  return new Promise((done, failed) => {
    const headers = { cookie: [...cookies].map(([k, v]) => `${k}=${v}`).join("; "), "X-Rhabdon-Token": token };
    const bytes = body === undefined ? undefined : Buffer.isBuffer(body) ? body : Buffer.from(JSON.stringify(body));
    if (bytes) Object.assign(headers, { "content-type": type, "content-length": bytes.length });
    const sent = request({ ...here, method, path, headers }, (answer) => {
      for (const set of answer.headers["set-cookie"] ?? []) {
        const [pair] = set.split(";");
        cookies.set(pair.slice(0, pair.indexOf("=")), pair.slice(pair.indexOf("=") + 1));
      }
      const parts = [];
      answer.on("data", (p) => parts.push(p));
      answer.on("end", () => {
        const text = Buffer.concat(parts).toString();
        let json = null;
        try { json = JSON.parse(text); } catch {}
        done({ status: answer.statusCode, json, text });
      });
    });
    sent.on("error", failed);
    if (!bytesPerS) sent.end(bytes);
    else pace(sent, bytes, bytesPerS);
  });
}

/** Sends at the pace of a network: what one machine pushes into itself would take the server's own processors. */
async function pace(sent, bytes, bytesPerS) {
  const piece = 256 * 1024;
  const begun = performance.now();
  for (let at = 0; at < bytes.length; at += piece) {
    if (!sent.write(bytes.subarray(at, at + piece))) await new Promise((drained) => sent.once("drain", drained));
    const ahead = (at / bytesPerS) * 1000 - (performance.now() - begun);
    if (ahead > 0) await new Promise((r) => setTimeout(r, ahead));
  }
  sent.end();
}

async function signIn(login) {
  cookies = new Map();
  token = "";
  token = (await ask("GET", "/api/session")).json.token;
  await ask("POST", "/api/session", { login, password: "lantern-room-9" });
  token = (await ask("GET", "/api/session")).json.token;
}

/** Somebody else asks again and again, on a thread of their own, until the work is over: the longest wait, and the median. */
async function bystander(path, work, write = null) {
  const worker = new Worker(new URL(import.meta.url), { workerData: { args: [port, pid, "bystander"], path, write } });
  await new Promise((ready) => worker.once("message", ready));
  const result = await work();
  worker.postMessage("over");
  const waits = await new Promise((told) => worker.once("message", told));
  waits.sort((a, b) => a - b);
  return { result, longestMs: Math.round(waits.at(-1)), p95Ms: Math.round(waits[Math.floor(waits.length * 0.95)]), medianMs: Math.round(waits[waits.length >> 1]), asked: waits.length };
}

if (what === "bystander") {
  await signIn("mira");
  for (let i = 0; i < 20; i++) await ask("GET", "/api/jobs");
  const waits = [];
  let over = false;
  parentPort.once("message", () => (over = true));
  parentPort.postMessage("ready");
  while (!over) {
    const begun = performance.now();
    const { status } = workerData.write ? await ask("POST", workerData.path, [{ ...workerData.write, id: uuid7(), deviceSeq: waits.length + 1 }]) : await ask("GET", workerData.path);
    if (status !== 200) throw new Error(`a bystander got ${status}`);
    waits.push(performance.now() - begun);
    await new Promise((r) => setTimeout(r, 20));
  }
  parentPort.postMessage(waits);
}

const peakMb = () => Math.round(Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))[1]) / 1024);

/** A face of nearly 20 megapixels in three colours, uncompressed, and what a file may have behind it: 64 MB. */
function face() {
  const side = 4470;
  const row = Math.ceil((side * 3) / 4) * 4;
  const file = Buffer.alloc(64 * 2 ** 20);
  file.write("BM", 0);
  file.writeUInt32LE(file.length, 2);
  file.writeUInt32LE(54, 10);
  file.writeUInt32LE(40, 14);
  file.writeInt32LE(side, 18);
  file.writeInt32LE(side, 22);
  file.writeUInt16LE(1, 26);
  file.writeUInt16LE(24, 28);
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      const r = Math.hypot(x - side / 2, y - side / 2);
      const grey = (r < 140 ? 235 : r < 1900 ? 150 : 20) + ((x * 31 + y * 17) % 7);
      file.fill(grey, 54 + y * row + x * 3, 54 + y * row + x * 3 + 3);
    }
  }
  return file;
}

if (what === "uploads") {
  await signIn("joss");
  const picture = face();
  const idle = peakMb();
  const begun = performance.now();
  const { result, ...waited } = await bystander("/api/jobs", () => Promise.all(Array.from({ length: Number(process.env.UPLOADS ?? 50) }, () => ask("POST", "/api/calc/end-face?class=sm-upc", picture, "application/octet-stream", 125e6 / 50))));
  const statuses = [...new Set(result.map((r) => r.status))].map((s) => `${result.filter((r) => r.status === s).length} of ${s}`).join(", ");
  console.log(`50 uploads at once, in sum 1 Gbit/s, of ${Math.round(picture.length / 2 ** 20)} MB: ${statuses}, ${Math.round((performance.now() - begun) / 1000)} s; the server's peak ${peakMb()} MB (before: ${idle} MB)`);
  console.log(`a bystander's list meanwhile: median ${waited.medianMs} ms, p95 ${waited.p95Ms} ms, longest ${waited.longestMs} ms of ${waited.asked}`);
}

/** A UUID of version 7, as devices make them. */
function uuid7() {
  const hex = Date.now().toString(16).padStart(12, "0") + randomBytes(10).toString("hex");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-7${hex.slice(13, 16)}-${"89ab"[parseInt(hex[16], 16) & 3]}${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

if (what === "corrections") {
  await signIn("joss");
  const me = (await ask("GET", "/api/session")).json.person.personId;
  const all = (await ask("GET", "/api/ends?limit=200")).json;
  const ends = (all.ends ?? all.rows ?? all).filter((e) => (e.state?.status ?? e.status) === "planned");
  if (process.env.SHOW) console.log(JSON.stringify(all).slice(0, 900), new Set((all.ends ?? all).map((e) => e.status)));
  const [loaded, beside] = [ends[0], ends[1]];
  const device = uuid7();
  let seq = 0;
  const event = (kind, body, endId = loaded.endId, deviceId = device) => ({ id: uuid7(), endId, attempt: 1, kind, at: new Date().toISOString(), deviceId, deviceSeq: ++seq, actorId: me, body });
  const send = async (events) => {
    const begun = performance.now();
    const { status, json } = await ask("POST", "/api/ledger", events);
    const outcomes = status === 200 ? [...new Set(json.events.map((e) => e.outcome + (e.refusal ? ` ${e.refusal.code}` : "")))].join(", ") : JSON.stringify(json);
    return `${status} ${outcomes}, ${Math.round(performance.now() - begun)} ms`;
  };
  const notes = Array.from({ length: 500 }, (_, i) => event("noted", { text: `n ${i}` }));
  console.log("500 notes on one end:", await send(notes));
  const { result, ...waited } = await bystander(`/api/ends/${beside.endId}`, () => send(notes.map((n) => event("corrected", { eventId: n.id }))));
  console.log("500 corrections of them:", result);
  console.log(`who reads another end meanwhile: median ${waited.medianMs} ms, p95 ${waited.p95Ms} ms, longest ${waited.longestMs} ms of ${waited.asked}`);
  const more = Array.from({ length: 500 }, (_, i) => event("noted", { text: `m ${i}` }));
  await send(more);
  const mira = (await ask("GET", "/api/people?find=mira")).json[0].personId;
  const word = event("noted", { text: "from beside" }, loaded.endId, uuid7());
  const { result: again, ...writer } = await bystander("/api/ledger", () => send(more.map((n) => event("corrected", { eventId: n.id }))), { ...word, actorId: mira });
  console.log("500 more:", again);
  console.log(`who writes of the same end meanwhile: median ${writer.medianMs} ms, p95 ${writer.p95Ms} ms, longest ${writer.longestMs} ms of ${writer.asked}`);
}

if (what === "calculators") {
  await signIn("joss");
  const many = (n, of) => Array.from({ length: n }, (_, i) => of(i));
  const asked = {
    "suspects, all hang together": ["/api/calc/suspects", { sums: many(19_000, (i) => ({ parts: many(4, (k) => `p${(i * 7 + k * 131) % 600}`), lossDb: 1 + (i % 7) / 10, knownDb: 0.1, sigmaDb: 0.05 })) }],
    "suspects, many groups": ["/api/calc/suspects", { sums: many(19_000, (i) => ({ parts: [`a${i}`, `b${i}`], lossDb: 1, knownDb: 0.1, sigmaDb: 0.05 })) }],
    "suspects, long readings": ["/api/calc/suspects", { sums: many(600, (i) => ({ parts: many(600, (k) => `p${k}`), lossDb: 50 + i / 100, knownDb: 0.1, sigmaDb: 0.05 })) }],
    "trace-pair": ["/api/calc/trace-pair", { forward: many(2000, (i) => ({ distanceM: 50 + i * 0.1, lossDb: 0.1, kind: "connector", reflectanceDb: null })), backward: many(2000, (i) => ({ distanceM: 50 + i * 0.1, lossDb: 0.1, kind: "connector", reflectanceDb: null })), lengthM: 1000, toleranceM: 1000 }],
    "simulate end face": ["/api/calc/simulate/end-face", { endFaceClass: "sm-upc", optics: { widthPx: 5000, heightPx: 4000, claddingPx: 2000, blurPx: 50 } }],
    "simulate end face, marks": ["/api/calc/simulate/end-face", { endFaceClass: "sm-upc", optics: { widthPx: 2000, heightPx: 2000, claddingPx: 1900 }, marks: many(20_000, (i) => ({ finding: { kind: "scratch", x0Um: -60, y0Um: -60, x1Um: 60, y1Um: 60 - (i % 100), widthUm: 20 } })) }],
    "simulate cleave": ["/api/calc/simulate/cleave", { angleDeg: 2, fiberPx: 600, widthPx: 4000, heightPx: 4000, blurPx: 20 }],
    "simulate trace": ["/api/calc/simulate/trace", { lengthM: 200_000, dbPerKm: 0.2, events: many(20_000, (i) => ({ distanceM: i * 9, lossDb: 0 })), spacingM: 0.001, pulseNs: 20_000, rangeM: 200_000 }],
    "end-face-seen": ["/api/calc/end-face-seen", { endFaceClass: "sm-upc", limitSetId: "iec-61300-3-35", findings: many(30_000, (i) => ({ kind: "scratch", x0Um: -60, y0Um: -60, x1Um: 60, y1Um: 60 - (i % 100), widthUm: 1 })) }],
    "end-face-grade": ["/api/calc/end-face-grade", { endFaceClass: "sm-upc", limitSetId: "iec-61300-3-35", findings: many(40_000, () => ({ kind: "scratch", zone: "A", sizeUm: 5 })) }],
    procedure: ["/api/calc/procedure", { yaml: `id: a\nsteps:\n${many(200, (i) => `  - id: s${i}\n    name: ${"x".repeat(100)}\n    then: s${(i + 1) % 200}\n`).join("")}` }],
    "procedure of one long line": ["/api/calc/procedure", { yaml: `a: ${"[".repeat(60)}${"x,".repeat(400_000)}${"]".repeat(60)}` }],
    prep: ["/api/calc/prep", { distances: many(20_000, (i) => ({ from: `a${i}`, to: `a${i + 1}`, mm: 1 })) }],
    applications: ["/api/calc/applications", { fiberClass: "OM3", lengthM: 100, lossDb: Object.fromEntries(many(100_000, (i) => [i, 1])) }],
    reference: ["/api/calc/reference", { reference: { method: "one-cord", levels: many(30_000, () => ({ nm: 850, dbm: -20 })) }, wavelengthsNm: many(100_000, (i) => i), now: "2026-11-26T00:00:00Z" }],
  };
  for (const [name, [path, body]] of Object.entries(asked)) {
    const begun = performance.now();
    const { status, json, text } = await ask("POST", path, body);
    const why = status === 200 ? `${Math.round(text.length / 1024)} kB` : `${json?.code} ${json?.field}`;
    console.log(`${name}: ${status} ${why}, ${Math.round(performance.now() - begun)} ms, peak ${peakMb()} MB`);
  }
}
