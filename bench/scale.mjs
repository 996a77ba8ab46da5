// node scale.mjs PORT: asks the lists of a large company one after another, and prints how long they took.
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

const lists = {
  "jobs, first page": "/api/jobs?limit=100", "work at hand": "/api/jobs/at-hand?limit=50", "jobs found by name": "/api/jobs?find=observatory%203100&limit=30",
  "to remake": "/api/ends?status=to-remake&limit=100", "waiting for a decision": "/api/ends?status=needs-decision&limit=50", "to look at": "/api/ends?status=to-look&limit=100",
  "accepted, first page": "/api/ends?status=accepted&limit=100", "handover, first page": "/api/ends?limit=100", "shards that do not add up": "/api/batches/off",
  "nearly out of slack": "/api/ends?nearlyOut=true&limit=100",
};
for (const login of ["mira", "joss"]) {
  await signIn(login);
  for (const [name, path] of Object.entries(lists)) {
    const times = [];
    for (let i = 0; i < WARM_UP + COUNTED; i++) {
      const begun = performance.now();
      await ask(path);
      if (i >= WARM_UP) times.push(performance.now() - begun);
    }
    times.sort((a, b) => a - b);
    const at = (share) => times[Math.min(times.length - 1, Math.floor(times.length * share))].toFixed(1).padStart(7);
    console.log(`${login === "mira" ? "office" : "lead  "}  ${name.padEnd(26)} median ${at(0.5)} ms   p95 ${at(0.95)} ms`);
  }
}
