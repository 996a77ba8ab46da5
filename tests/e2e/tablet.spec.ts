import { execFileSync, type ChildProcess, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, writeFileSync } from "node:fs";
import http from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type BrowserContext, chromium, expect, test } from "@playwright/test";
import { api, begin, plan, signIn, workOn } from "./crew";

const HOST = "rack.rhabdon.test";
const wedge = { form: "SC", polish: "UPC", method: "wedge-locked", construction: "cordage-3.0", mode: "multimode", fiber: "OM4", strands: 2 };

const freePort = () =>
  new Promise<number>((done) => {
    const s = http.createServer().listen(0, "127.0.0.1", () => {
      const { port } = s.address() as AddressInfo;
      s.close(() => done(port));
    });
  });

const folder = mkdtempSync(join(tmpdir(), "rhabdon-tablet-"));
let server: ChildProcess;
let ports = { https: 0, http: 0 };
const plainly = (path: string, host = `${HOST}:${ports.http}`) =>
  new Promise<{ status: number; headers: http.IncomingHttpHeaders; body: Buffer }>((done, failed) => {
    http
      .get({ host: "127.0.0.1", port: ports.http, path, headers: { host } }, async (r) => {
        const parts: Buffer[] = [];
        for await (const part of r) parts.push(part as Buffer);
        done({ status: r.statusCode ?? 0, headers: r.headers, body: Buffer.concat(parts) });
      })
      .on("error", failed);
  });

test.beforeAll(async () => {
  ports = { https: await freePort(), http: await freePort() };
  // Settings from a file, as a company has them.
  const config = join(folder, "rhabdon.json");
  writeFileSync(config, JSON.stringify({ name: [HOST], tls: "own", port: ports.https, "http-port": ports.http, keys: join(folder, "keys"), web: process.env.WEB, "sign-ins-per-minute": 1000 }));
  server = spawn("dotnet", [process.env.SERVER as string, "serve", "--config", config], { stdio: "ignore" });
  await expect.poll(() => plainly("/trust").then((r) => r.status, () => 0), { timeout: 60_000 }).toBe(200);
});
test.afterAll(() => {
  server?.kill("SIGKILL");
});

/** A browser of its own, which has this authority among those it trusts, or none. */
async function tablet(authority?: Buffer): Promise<BrowserContext> {
  const home = mkdtempSync(join(folder, "home-"));
  const store = join(home, ".pki/nssdb");
  mkdirSync(store, { recursive: true });
  execFileSync("certutil", ["-d", `sql:${store}`, "-N", "--empty-password"]);
  if (authority) {
    writeFileSync(join(home, "rhabdon.crt"), authority);
    execFileSync("certutil", ["-d", `sql:${store}`, "-A", "-t", "C,,", "-n", "rhabdon", "-i", join(home, "rhabdon.crt")]);
  }
  return chromium.launchPersistentContext(join(home, "profile"), {
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", `--host-resolver-rules=MAP ${HOST} 127.0.0.1`],
    env: { ...(process.env as Record<string, string>), HOME: home },
    viewport: { width: 1024, height: 768 },
  });
}

test("a tablet trusts the server's own authority, installs the app, loses the signal, works a batch, comes back", async () => {
  const stranger = await tablet();
  const refused = await stranger.newPage();
  await expect(refused.goto(`https://${HOST}:${ports.https}/`)).rejects.toThrow(/ERR_CERT_AUTHORITY_INVALID/);
  await stranger.close();

  const context = await tablet((await plainly("/trust/rhabdon.crt")).body);
  const page = await context.newPage();
  // From the page with the steps, over plain HTTP, to the app.
  await page.goto(`http://${HOST}:${ports.http}/trust`);
  await expect(page.getByText("Let this tablet trust the server")).toBeVisible();
  await page.getByRole("link", { name: `https://${HOST}:${ports.https}` }).click();
  await expect(page.getByLabel("Sign-in name")).toBeVisible();
  expect(await page.evaluate(() => window.isSecureContext)).toBe(true);

  await signIn(page, "joss", `https://${HOST}:${ports.https}`);
  const devtools = await context.newCDPSession(page);
  await expect.poll(() => page.evaluate(async () => (await navigator.serviceWorker.getRegistration())?.active?.state), { timeout: 60_000 }).toBe("activated");
  expect((await devtools.send("Page.getInstallabilityErrors")).installabilityErrors.map((e) => e.errorId)).toEqual([]);
  expect((await context.cookies()).filter((c) => c.name.startsWith("rhabdon")).map((c) => c.secure)).not.toContain(false);

  const job = await plan(page, "TB1", wedge);
  await begin(page, 2);
  await expect(page.getByText("All sent")).toBeVisible({ timeout: 30_000 });
  await context.setOffline(true);
  await workOn(page, /Bend the glass/);
  await page.reload(); // from what the tablet keeps
  await expect(page.getByText(/unsent/)).toBeVisible();
  await workOn(page, "Prove 2 connectors");
  await context.setOffline(false);
  await expect(page.getByText("All sent")).toBeVisible({ timeout: 60_000 });
  const [end] = await job.ends();
  expect((await api(page, `/api/ends/${end.endId}`)).state.attempts).toHaveLength(1);
  await context.close();
});

test("plain HTTP leads on to HTTPS, another name is refused, and HTTPS is asked for from then on", async () => {
  const on = await plainly("/jobs?x=1");
  expect([on.status, on.headers.location]).toEqual([307, `https://${HOST}:${ports.https}/jobs?x=1`]);
  const other = await plainly("/api/session", "elsewhere.example");
  expect([other.status, JSON.parse(other.body.toString()).code]).toEqual([421, "host-unknown"]);
  const context = await tablet((await plainly("/trust/rhabdon.crt")).body);
  const page = await context.newPage();
  const answer = await page.goto(`https://${HOST}:${ports.https}/`);
  expect(answer?.headers()["strict-transport-security"]).toContain("max-age=");
  await context.close();
});

test("only a named proxy is believed for whom it asks, and over what", async () => {
  const port = await freePort();
  const trusting = spawn("dotnet", [process.env.SERVER as string, "serve", "--port", String(port), "--name", HOST, "--trusted-proxies", "127.0.0.2", "--sign-ins-per-minute", "1000"], { stdio: "ignore" });
  try {
    const jar = new Map<string, string>();
    const ask = (from: string, method: string, path: string, says: Record<string, string>, body?: unknown) =>
      new Promise<{ status: number; headers: http.IncomingHttpHeaders; text: string }>((done, failed) => {
        const headers = { host: HOST, cookie: [...jar].map((c) => c.join("=")).join("; "), "content-type": "application/json", ...says };
        const request = http.request({ host: "127.0.0.1", localAddress: from, port, method, path, headers }, async (r) => {
          for (const c of r.headers["set-cookie"] ?? []) jar.set(c.slice(0, c.indexOf("=")), c.slice(c.indexOf("=") + 1, c.indexOf(";")));
          let text = "";
          for await (const part of r) text += part;
          done({ status: r.statusCode ?? 0, headers: r.headers, text });
        });
        request.on("error", failed);
        request.end(body && JSON.stringify(body));
      });
    const [proxy, stranger] = ["127.0.0.2", "127.0.0.3"];
    const claims = (address: string) => ({ "x-forwarded-for": address, "x-forwarded-proto": "https", "x-forwarded-host": HOST });
    await expect.poll(() => ask(proxy, "GET", "/health/live", {}).then((r) => r.status, () => 0), { timeout: 60_000 }).toBe(200);
    // HTTPS is believed of the one, and not of the other.
    expect((await ask(proxy, "GET", "/health/live", claims("203.0.113.9"))).headers["strict-transport-security"]).toContain("max-age=");
    expect((await ask(stranger, "GET", "/health/live", claims("203.0.113.9"))).headers["strict-transport-security"]).toBeUndefined();
    expect((await ask(stranger, "GET", "/health/live", { ...claims("203.0.113.9"), host: "elsewhere.example" })).status).toBe(421);
    // Who comes past the proxy gets words, no cookie, and no fault.
    const past = await ask(stranger, "GET", "/api/session", claims("203.0.113.10"));
    expect([past.status, JSON.parse(past.text).code, past.headers["set-cookie"]]).toEqual([421, "https-only", undefined]);
    // Whose address it was is believed, too.
    const token = async () => JSON.parse((await ask(proxy, "GET", "/api/session", claims("203.0.113.9"))).text).token;
    const enter = async (password: string) => (await ask(proxy, "POST", "/api/session", { ...claims("203.0.113.9"), "x-rhabdon-token": await token() }, { login: "mira", password })).status;
    expect(await enter("by-proxy")).toBe(401);
    expect(await enter("lantern-room-9")).toBe(200);
    const audit = JSON.parse((await ask(proxy, "GET", "/api/audit", claims("203.0.113.9"))).text) as { address: string }[];
    expect(audit.slice(0, 2).map((a) => a.address)).toEqual(["203.0.113.9", "203.0.113.9"]);
  } finally {
    trusting.kill("SIGKILL");
  }
});
