// Dossiers of 288 and 2,016 connectors, and a plan of 20,000 rows, on a server with the demo: how long each takes, and what the server has of memory at its most.
// node bench/papers.mjs PORT PID  (./rhabdon bench papers starts both)
import { randomBytes } from "node:crypto";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { crc32, deflateSync, inflateSync } from "node:zlib";

/** A UUID of version 7, as devices make them. */
function v7() {
  const b = randomBytes(16);
  b.writeUIntBE(Date.now(), 0, 6);
  b[6] = (b[6] & 0x0f) | 0x70;
  b[8] = (b[8] & 0x3f) | 0x80;
  const h = b.toString("hex");
  return [h.slice(0, 8), h.slice(8, 12), h.slice(12, 16), h.slice(16, 20), h.slice(20)].join("-");
}

const [port, pid] = process.argv.slice(2);
const base = `http://127.0.0.1:${port}`;
const jar = {};
let token = "";

async function ask(method, path, body, type = "application/json") {
  const response = await fetch(base + path, {
    method,
    headers: {
      cookie: Object.entries(jar).map(([k, v]) => `${k}=${v}`).join("; "),
      "X-Rhabdon-Token": token,
      ...(body === undefined ? {} : { "Content-Type": type }),
    },
    body: body === undefined || type !== "application/json" ? body : JSON.stringify(body),
  });
  for (const c of response.headers.getSetCookie()) {
    const [k, v] = c.split(";")[0].split("=");
    jar[k] = v;
  }
  const bytes = Buffer.from(await response.arrayBuffer());
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${bytes.toString().slice(0, 300)}`);
  return response.headers.get("content-type")?.includes("json") ? JSON.parse(bytes.toString()) : bytes;
}

const peakMb = () => Math.round(Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))[1]) / 1024);
/** What the process that draws has had at its most; 0 where there is none. */
const drawingMb = () => {
  for (const id of readdirSync("/proc").filter((d) => /^\d+$/.test(d))) {
    try {
      const status = readFileSync(`/proc/${id}/status`, "utf8");
      if (new RegExp(`PPid:\\s+${pid}\\b`).test(status)) return Math.round(Number(/VmHWM:\s+(\d+)/.exec(status)[1]) / 1024);
    } catch {
      // It has ended meanwhile.
    }
  }
  return 0;
};

/** The same picture with noise of its own: no two of a real job are alike, to the byte. */
function noisy(png) {
  const parts = [];
  const data = [];
  for (let at = 8; at < png.length; ) {
    const size = png.readUInt32BE(at);
    const kind = png.toString("latin1", at + 4, at + 8);
    if (kind === "IDAT") data.push(png.subarray(at + 8, at + 8 + size));
    else parts.push(png.subarray(at, at + 12 + size));
    at += 12 + size;
  }
  const height = png.readUInt32BE(20);
  const pixels = inflateSync(Buffer.concat(data));
  const row = pixels.length / height;
  const noise = randomBytes(pixels.length);
  for (let i = 0; i < pixels.length; i++) if (i % row !== 0 && noise[i] < 64) pixels[i] ^= noise[i] & 3;
  const body = Buffer.concat([Buffer.from("IDAT"), deflateSync(pixels, { level: 1 })]);
  const chunk = Buffer.alloc(8 + body.length);
  chunk.writeUInt32BE(body.length - 4, 0);
  body.copy(chunk, 4);
  chunk.writeUInt32BE(crc32(body), 4 + body.length);
  return Buffer.concat([png.subarray(0, 8), ...parts.slice(0, -1), chunk, parts.at(-1)]);
}

/** From now on the most counts anew (Linux: proc(5), clear_refs). */
const forgetPeak = () => writeFileSync(`/proc/${pid}/clear_refs`, "5");
const seconds = (since) => ((performance.now() - since) / 1000).toFixed(1);

async function signIn(login) {
  token = (await ask("GET", "/api/session")).token;
  await ask("POST", "/api/session", { login, password: "lantern-room-9" });
  const session = await ask("GET", "/api/session");
  token = session.token;
  return session.person;
}

/** A plan as another program writes it: panels of 48, cables of 48 strands, one row a connector. */
const planOf = (rows) =>
  ["Room,Panel,Ports,Port,Cable,Fibre,Construction,Strands,Length,Strand,Side,Connector,Polish,Method,Stub"]
    .concat(
      Array.from({ length: rows }, (_, i) => {
        const [p, n] = [Math.floor(i / 48) + 1, (i % 48) + 1];
        return `R${Math.ceil(p / 8)},P${p},48,${n},C${p},OM3,cordage-3.0,48,86,${n},A,SC,UPC,wedge-locked,OM3`;
      }),
    )
    .join("\n");

async function plan(rows, what) {
  const { id } = await ask("POST", "/api/jobs", { customer: what, site: `${rows} connectors`, timeZone: "Europe/London", dueOn: "2027-06-01", limitSetId: "tia-568.3-d", crewId: lead.crewId });
  const file = planOf(rows);
  let since = performance.now();
  await ask("POST", `/api/jobs/${id}/plan/file`, file, "application/octet-stream");
  const seen = seconds(since);
  since = performance.now();
  const written = await ask("POST", `/api/jobs/${id}/plan/file?write=true`, file, "application/octet-stream");
  console.log(`plan of ${rows} rows: looked at in ${seen} s, judged and written in ${seconds(since)} s (${written.added} added)`);
  return id;
}

/** Tells of each end of a job what became of one of the demo's, with pictures of the first few. */
async function make(jobId, pictures) {
  const model = (await ask("GET", "/api/ends?find=KC-P1:1&limit=1"))[0];
  const record = await ask("GET", `/api/ends/${model.endId}/record`);
  const look = record.entries.find((e) => e.kind === "inspected");
  const face = await ask("GET", `/api/pictures/${look.body.picture.pictureId}`);
  const shards = record.end.state.attempts[0].shards;
  const [deviceId, person] = [v7(), lead.personId];
  let seq = 0;
  const at = () => new Date().toISOString();
  let ends = [];
  for (let after; ; after = ends.at(-1).endId) {
    const page = await ask("GET", `/api/ends?jobId=${jobId}&limit=500${after ? `&after=${after}` : ""}`);
    ends = ends.concat(page);
    if (page.length < 500) break;
  }
  for (let i = 0; i < ends.length; i += 12) {
    const [batchId, first, last] = [v7(), [], []];
    for (const [n, end] of ends.slice(i, i + 12).entries()) {
      const runId = v7();
      let pictureId = null;
      if (i + n < pictures) {
        pictureId = v7();
        await ask("POST", `/api/ends/${end.endId}/pictures?id=${pictureId}`, noisy(face), "application/octet-stream");
      }
      for (const e of record.entries) {
        const body = structuredClone(e.body);
        if (body.runId) body.runId = runId;
        if (e.kind === "attempt-started") Object.assign(body, { batchId, toolIds: null });
        if (e.kind === "inspected") Object.assign(body, pictureId ? { picture: { ...body.picture, pictureId } } : { picture: null, findings: [] });
        if (e.kind === "measured") Object.assign(body, { instrumentId: null, into: "finished-connector" });
        const event = { id: e.kind === "attempt-started" ? runId : v7(), endId: end.endId, attempt: 1, kind: e.kind, at: at(), deviceId, deviceSeq: ++seq, actorId: person, body };
        (e.kind === "accepted" ? last : first).push(event);
      }
    }
    const counted = { id: v7(), stream: "batch", streamId: batchId, kind: "container-counted", at: at(), deviceId, deviceSeq: ++seq, actorId: person, body: { made: 12 * shards, counted: 12 * shards } };
    for (const events of [first, [counted], last]) {
      for (const e of events) e.at = at();
      const told = await ask("POST", "/api/ledger", events);
      const bad = told.events.find((e) => e.outcome !== "stored");
      if (bad) throw new Error(JSON.stringify(bad));
    }
  }
}

async function dossier(jobId, edition) {
  forgetPeak();
  const before = peakMb();
  const since = performance.now();
  let drawing = 0;
  let made = await ask("POST", `/api/jobs/${jobId}/dossiers`, { edition, names: true });
  while (made.stage === "waiting" || made.stage === "drawing") {
    await new Promise((r) => setTimeout(r, 100));
    made = await ask("GET", `/api/dossiers/${made.dossierId}`);
    drawing = drawingMb();
  }
  const s = made.summary;
  console.log(`dossier, ${edition}: ${s.planned} connectors, ${s.proven} proven, ${s.seen} pictures: ${made.stage} in ${seconds(since)} s, ${(made.fileBytes / 1e6).toFixed(1)} MB; memory at its most: what draws ${drawing} MB, the server ${peakMb()} MB (before ${before})`);
}

const lead = await signIn("joss");
console.log(`the server's memory before: ${peakMb()} MB`);
const small = await plan(288, "Small");
await make(small, 24);
for (const edition of ["customer", "company"]) await dossier(small, edition);
const large = await plan(2016, "Large");
forgetPeak();
await make(large, 2016);
console.log(`2,016 connectors with as many pictures are told of; the server's memory at its most meanwhile: ${peakMb()} MB`);
for (const edition of ["customer", "company"]) await dossier(large, edition);
forgetPeak();
await plan(20000, "Huge");
console.log(`the server's memory at its most meanwhile: ${peakMb()} MB`);
