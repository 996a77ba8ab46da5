// node scale.mjs PORT: asks the lists of a large company one after another, over HTTP and, in turn with it, the same question in raw SQL:
// the very statements, with their values, that the server sent for it, taken from PostgreSQL's log (PGLOG), prepared, and sent by a
// client on this side, its rows read and thrown away. What the database itself counts for them (planning and running) stands beside.
import { execFileSync } from "node:child_process";
import { readFileSync, statSync } from "node:fs";
import { createRequire } from "node:module";

const pg = createRequire(new URL("../web/package.json", import.meta.url))("pg");
const base = `http://127.0.0.1:${process.argv[2]}`;
const [COUNTED, WARM_UP] = [40, 5];
let jar = {};

async function ask(path, options = {}) {
  const cookie = Object.entries(jar).map(([k, v]) => `${k}=${v}`).join("; ");
  const answer = await fetch(base + path, { ...options, headers: { ...options.headers, cookie } });
  for (const set of answer.headers.getSetCookie()) {
    const [name, value] = set.split(";")[0].split(/=(.*)/s);
    jar[name] = value;
  }
  if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
  return answer.text();
}

async function signIn(login) {
  jar = {};
  const { token } = JSON.parse(await ask("/api/session"));
  await ask("/api/session", { method: "POST", headers: { "Content-Type": "application/json", "X-Rhabdon-Token": token }, body: JSON.stringify({ login, password: "lantern-room-9" }) });
}

/** One word of the database; PSQL says how it is reached. */
const sql = (text) => execFileSync("bash", ["-c", `$PSQL -c "$0"`, text], { encoding: "utf8" }).trim();

const raw = new pg.Client({ host: "127.0.0.1", database: "scale", types: { getTypeParser: () => (text) => text } });
await raw.connect();

/** The statements that the server sends for a question, in their order, with their values. */
async function statements(path) {
  await raw.query("alter system set log_min_duration_statement = 0");
  await raw.query("select pg_reload_conf(), pg_sleep(0.3)");
  const from = statSync(process.env.PGLOG).size;
  await ask(path);
  await raw.query("alter system reset log_min_duration_statement");
  await raw.query("select pg_reload_conf(), pg_sleep(0.3)");
  const log = readFileSync(process.env.PGLOG).subarray(from).toString("utf8");
  const entries = log.split(/\n(?=\d{4}-\d\d-\d\d [\d:.]+ \S+ \[\d+\] (?:LOG|DETAIL|ERROR|STATEMENT))/);
  const found = [];
  for (const [i, entry] of entries.entries()) {
    const text = /LOG: {2}duration: [\d.]+ ms {2}execute [^:]+: (.*)$/s.exec(entry)?.[1];
    if (!text || /pg_reload_conf|alter system/.test(text)) continue;
    const detail = /DETAIL: {2}[Pp]arameters: (.*)$/s.exec(entries[i + 1] ?? "")?.[1] ?? "";
    const values = [...detail.matchAll(/\$\d+ = (NULL|'((?:[^']|'')*)')/gs)].map(([, whole, value]) => (whole === "NULL" ? null : value.replaceAll("''", "'")));
    // A list's type is not in the log; without it some functions do not know which of them is meant.
    const typed = text.replaceAll(/\$(\d+)(?!\d|::)/g, (at, n) => (/^\{.*\}$/s.test(values[n - 1] ?? "") ? `${at}::${/^\{([\da-f-]{36}|\})/.test(values[n - 1]) ? "uuid" : "text"}[]` : at));
    found.push({ text: typed, values });
  }
  if (found.length === 0) throw new Error(`${path}: its statements are not in the log`);
  return found;
}

/** The address of the page that begins after this many ends. */
async function after(path, ends) {
  let last;
  for (let gone = 0; gone < ends; gone += 500) last = JSON.parse(await ask(`${path}?limit=500${last ? `&after=${last}` : ""}`)).at(-1).endId;
  return `${path}?limit=100&after=${last}`;
}

const lists = {
  "jobs, first page": "/api/jobs?limit=100", "work at hand": "/api/jobs/at-hand?limit=50", today: "/api/today", "jobs found by name": "/api/jobs?find=observatory%203100&limit=30",
  "to remake": "/api/ends?status=to-remake&limit=100", "waiting for a decision": "/api/ends?status=needs-decision&limit=50", "to look at": "/api/ends?status=to-look&limit=100",
  "accepted, first page": "/api/ends?status=accepted&limit=100", "handover, first page": "/api/ends?limit=100", "shards that do not add up": "/api/batches/off",
  "nearly out of slack": "/api/ends?nearlyOut=true&limit=100",
  ...Object.fromEntries(["verdict=fail", "verdict=marginal", "verdict=pass", "form=LC", "form=MPO", "polish=APC", "method=splice-on", "method=cold-cure", "mine=true", "form=SC&polish=APC&status=accepted"].map((f) => [f, `/api/ends?${f}&limit=100`])),
};
await signIn("mira");
const [{ endId }] = JSON.parse(await ask("/api/ends?status=to-look&limit=1"));
const end = JSON.parse(await ask(`/api/ends/${endId}`));
lists["a panel's loom"] = `/api/places/${end.placeId}/bench`;
lists["an end's record"] = `/api/ends/${end.endId}/record`;
lists["what to bring to a job"] = `/api/jobs/${end.jobId}/kit`;
lists["methods of a job"] = `/api/jobs/${end.jobId}/methods`;
lists["recall of a lot"] = `/api/recall?lot=${encodeURIComponent(sql("select lots[1] from fact_attempt where lots <> '{}' order by started_at desc limit 1") || "none")}`;
for (const by of ["method", "crew", "procedure", "job", "lot", "tool", "school"]) lists[`yield by ${by}`] = `/api/yield?by=${by}`;
lists["yield by crew and method"] = "/api/yield?by=crew&and=method";
lists["what stands out"] = "/api/yield/findings";
lists["behind a method"] = "/api/yield/ends?by=method&key=wedge-locked";
lists["two crews compared"] = `/api/yield/compare?by=crew&key=${sql("select min(crew_id::text) from crew")}&other=${sql("select max(crew_id::text) from crew")}`;
lists["losses by crew"] = "/api/yield/losses?by=crew";
lists["losses by lot"] = "/api/yield/losses?by=lot";
lists["handover, page 2,000"] = await after("/api/ends", 199_900);
const ms = (x) => x.toFixed(1).padStart(6);
for (const login of ["mira", "joss"]) {
  await signIn(login);
  for (const [name, path] of Object.entries(lists)) {
    // What they ask hangs on the company and not on who asks.
    if (login === "joss" && ["what to bring to a job", "methods of a job", "recall of a lot"].includes(name)) continue;
    // What follows the ledger asks now and then, too: the shortest of three is the question's own.
    const seen = [await statements(path), await statements(path), await statements(path)].sort((a, b) => a.length - b.length);
    const asked = seen[0].map((q, i) => ({ ...q, name: `${login} ${name} ${i}` }));
    const [overHttp, inSql] = [[], []];
    for (let i = 0; i < WARM_UP + COUNTED; i++) {
      if (i === WARM_UP) sql("select pg_stat_statements_reset()");
      let begun = performance.now();
      await ask(path);
      if (i >= WARM_UP) overHttp.push(performance.now() - begun);
      begun = performance.now();
      for (const q of asked) await raw.query(q);
      if (i >= WARM_UP) inSql.push(performance.now() - begun);
    }
    // Both ask the same, so half of what the database counts is one's.
    const itself = Number(sql("select sum(total_exec_time + total_plan_time) from pg_stat_statements where query not like '%pg_stat_statements%'")) / COUNTED / 2;
    const at = (times, share) => times.toSorted((a, b) => a - b)[Math.min(times.length - 1, Math.floor(times.length * share))];
    const [h, r] = [at(overHttp, 0.5), at(inSql, 0.5)];
    console.log(`${login === "mira" ? "office" : "lead  "}  ${name.padEnd(26)} median ${ms(h)} ms   p95 ${ms(at(overHttp, 0.95))} ms   raw SQL ${ms(r)} ms, p95 ${ms(at(inSql, 0.95))}   ${(h / r).toFixed(2)}×, ${(h - r >= 0 ? "+" : "") + (h - r).toFixed(1)} ms   the database itself ${ms(itself)} ms, ${asked.length} statements`);
  }
}
await raw.end();
