import { type ChildProcess, spawn } from "node:child_process";
import { mkdtempSync } from "node:fs";
import http from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";

type Mode = "through" | "down" | "repeat" | "kill-before-answer";

/** A server of its own and the wire to it, which can be cut, doubled, or lose the server in mid-answer. */
export class Wire {
  mode: Mode = "through";
  address = "";
  killed = 0;
  private server?: ChildProcess;
  private proxy?: http.Server;
  private port = 0;
  private keys = mkdtempSync(join(tmpdir(), "rhabdon-keys-"));

  /** @param database Connection string of another database than the demo's. */
  constructor(private database = process.env.RHABDON_DB) {}

  async open() {
    this.port = await freePort();
    await this.startServer();
    this.proxy = http.createServer((req, res) => this.pass(req, res));
    this.proxy.on("upgrade", (_, socket) => socket.destroy());
    await new Promise<void>((done) => this.proxy?.listen(0, "127.0.0.1", done));
    this.address = `http://127.0.0.1:${(this.proxy.address() as AddressInfo).port}`;
  }

  async startServer() {
    const args = [process.env.SERVER as string, "serve", "--port", `${this.port}`, "--web", process.env.WEB as string, "--keys", this.keys, "--sign-ins-per-minute", "1000"];
    this.server = spawn("dotnet", args, { env: { ...process.env, RHABDON_DB: this.database }, stdio: "ignore" });
    for (let i = 0; i < 900; i++) {
      if (await fetch(`http://127.0.0.1:${this.port}/api/session`).then((r) => r.ok, () => false)) return;
      await new Promise((r) => setTimeout(r, 100));
    }
    throw new Error("the server did not start");
  }

  killServer() {
    this.killed++;
    return new Promise<void>((done) => {
      this.server?.once("exit", () => done());
      this.server?.kill("SIGKILL");
    });
  }

  async close() {
    this.proxy?.closeAllConnections();
    this.proxy?.close();
    await this.killServer();
  }

  private async pass(req: http.IncomingMessage, res: http.ServerResponse) {
    if (this.mode === "down") return void req.socket.destroy();
    const chunks: Buffer[] = [];
    for await (const c of req) chunks.push(c as Buffer);
    const ledger = req.method === "POST" && req.url === "/api/ledger";
    const ask = () =>
      new Promise<{ status: number; headers: http.IncomingHttpHeaders; body: Buffer }>((done, fail) => {
        const up = http.request({ host: "127.0.0.1", port: this.port, method: req.method, path: req.url, headers: req.headers }, async (r) => {
          const body: Buffer[] = [];
          for await (const c of r) body.push(c as Buffer);
          done({ status: r.statusCode ?? 502, headers: r.headers, body: Buffer.concat(body) });
        });
        up.on("error", fail);
        up.end(Buffer.concat(chunks));
      });
    try {
      let answer = await ask();
      if (ledger && this.mode === "repeat") for (let i = 0; i < 4; i++) answer = await ask();
      if (ledger && this.mode === "kill-before-answer") {
        this.mode = "down";
        await this.killServer();
        return void req.socket.destroy();
      }
      const { "transfer-encoding": _, ...headers } = answer.headers;
      res.writeHead(answer.status, headers);
      res.end(answer.body);
    } catch {
      req.socket.destroy();
    }
  }
}

const freePort = () =>
  new Promise<number>((done) => {
    const s = http.createServer().listen(0, "127.0.0.1", () => {
      const { port } = s.address() as AddressInfo;
      s.close(() => done(port));
    });
  });
