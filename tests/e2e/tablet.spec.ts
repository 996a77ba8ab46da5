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
