// node scale.mjs PORT: asks the lists of a large company one after another, and prints how long they took, and how long the database
// itself was at the same questions (planning and running, by its own count), which is what raw SQL would cost.
import { execFileSync } from "node:child_process";

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

/** The address of the page that begins after this many ends. */
async function after(path, ends) {
  let last;
  for (let gone = 0; gone < ends; gone += 500) last = JSON.parse(await ask(`${path}?limit=500${last ? `&after=${last}` : ""}`)).at(-1).endId;
  return `${path}?limit=100&after=${last}`;
}

const lists = {
  "jobs, first page": "/api/jobs?limit=100", "work at hand": "/api/jobs/at-hand?limit=50", "jobs found by name": "/api/jobs?find=observatory%203100&limit=30",
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
lists["handover, page 2,000"] = await after("/api/ends", 199_900);
for (const login of ["mira", "joss"]) {
  await signIn(login);
  for (const [name, path] of Object.entries(lists)) {
    const times = [];
    let raw = 0;
    for (let i = 0; i < WARM_UP + COUNTED; i++) {
      if (i === WARM_UP) sql("select pg_stat_statements_reset()");
      const begun = performance.now();
      await ask(path);
      if (i >= WARM_UP) times.push(performance.now() - begun);
    }
    raw = Number(sql("select sum(total_exec_time + total_plan_time) from pg_stat_statements where query not like '%pg_stat_statements%'")) / COUNTED;
    const mean = times.reduce((a, b) => a + b) / times.length;
    times.sort((a, b) => a - b);
    const at = (share) => times[Math.min(times.length - 1, Math.floor(times.length * share))].toFixed(1).padStart(7);
    console.log(`${login === "mira" ? "office" : "lead  "}  ${name.padEnd(26)} median ${at(0.5)} ms   p95 ${at(0.95)} ms   the database ${raw.toFixed(1).padStart(6)} ms   mean ${(mean / raw).toFixed(2)}×, +${(mean - raw).toFixed(1)} ms`);
  }
}
