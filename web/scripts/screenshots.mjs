// Takes the pictures of docs/screenshots from a running demo:  node scripts/screenshots.mjs [address] [folder] [names…]
import { chromium } from "@playwright/test";

const [address = "http://127.0.0.1:5080", folder = "../docs/screenshots", ...only] = process.argv.slice(2);
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });

async function visit(login, look, size, act) {
  const context = await browser.newContext({ viewport: size, timezoneId: "Europe/London" });
  const page = await context.newPage();
  await page.addInitScript((l) => localStorage.setItem("rhabdon.look", l), look);
  await page.goto(address);
  await page.getByLabel("Sign-in name").fill(login);
  await page.getByLabel("Password", { exact: true }).fill("lantern-room-9");
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { name: "Today" }).waitFor();
  const api = (path) => page.evaluate((p) => fetch(p).then((r) => r.json()), path);
  const shot = async (name, path, ready) => {
    if (only.length && !only.includes(name)) return;
    await page.goto(address + path);
    await page.waitForLoadState("networkidle");
    if (ready) await ready(page);
    await page.waitForTimeout(400);
    await page.screenshot({ path: `${folder}/${name}.png` });
    console.log(name);
  };
  await act({ page, api, shot });
  await context.close();
}

const desk = { width: 1280, height: 800 };
const first = async (api, filter) => (await api(`/api/ends?limit=1&${filter}`))[0];

await visit("joss", "light", desk, async ({ api, shot }) => {
  const [job] = await api("/api/jobs");
  const detail = await api(`/api/jobs/${job.jobId}`);
  const lamp = detail.spaces.find((s) => s.code === "LR");
  const panel = detail.panels.find((p) => p.spaceId === lamp.spaceId);
  const midRun = detail.panels.find((p) => p.spaceId === lamp.spaceId && p.code === "P2");
  const atBench = await first(api, `status=at-bench&placeId=${panel.panelId}`);
  await shot("today", "/");
  await shot("job-loom", `/jobs/${job.jobId}`);
  await shot("plan", `/plan/${job.jobId}`, (p) =>
    p
      .locator(".job-drawing")
      .evaluate((e) => window.scrollTo(0, e.closest("section").getBoundingClientRect().top + window.scrollY - 72)),
  );
  await shot("prep", `/prep/${atBench.endId}`);
  await shot("bench", `/bench/${job.jobId}/${midRun.panelId}`, (p) => p.locator(".hand .act").waitFor());
  await shot("proof", `/bench/${job.jobId}/${midRun.panelId}`, async (p) => {
    await p.getByRole("button", { name: "Prove those that are made" }).click();
    await p.getByText(/Prove \d+ connectors/).waitFor();
  });
  await shot("kit", `/plan/${job.jobId}`, async (p) => {
    await p.getByRole("button", { name: "Make the list to load" }).click();
    await p.getByRole("heading", { name: "To load" }).waitFor();
    const space = p.locator("section.card").nth(1);
    await space
      .getByRole("button", { name: /^Lot and count of/ })
      .first()
      .click();
    await space.getByPlaceholder("Lot, as printed").fill("CC-0718");
    await space.getByRole("button", { name: "Loaded" }).click();
    await p.getByText("lot CC-0718").waitFor();
    await p.waitForTimeout(4500);
  });
  const write = (page, path, body) =>
    page.evaluate(
      async ([p, b]) => {
        const { token } = await fetch("/api/session").then((r) => r.json());
        const headers = { "Content-Type": "application/json", "X-Rhabdon-Token": token };
        return fetch(p, { method: "POST", headers, body: JSON.stringify(b) }).then((r) => r.json());
      },
      [path, body],
    );
  const whole = async (status) =>
    Promise.all((await api(`/api/ends?limit=200&status=${status}`)).map((e) => api(`/api/ends/${e.endId}`)));
  const again = (await whole("to-look")).find((e) => e.state.attempts.at(-1).looks.length > 0);
  await shot("look", `/look/${again.endId}`, async (p) => {
    const face = await write(p, "/api/calc/simulate/end-face", {
      endFaceClass: "mm-pc",
      marks: [
        { finding: { kind: "residue", xUm: -36, yUm: 20, diameterUm: 6 }, contrast: 0.25 },
        { finding: { kind: "scratch", x0Um: -52, y0Um: -18, x1Um: -14, y1Um: -41, widthUm: 1.6 }, contrast: 0.5 },
        { finding: { kind: "pit", xUm: 12, yUm: 15, diameterUm: 3 }, contrast: 0.6 },
      ],
      optics: {
        claddingPx: 470,
        centreXPx: 600,
        centreYPx: 500,
        coreUm: 50,
        unevenShare: 0.1,
        noiseLevels: 3,
        seed: 12,
      },
    });
    await p
      .locator("input[type=file]")
      .first()
      .setInputFiles({ name: "face.png", mimeType: "image/png", buffer: Buffer.from(face.pngBase64, "base64") });
    await p.getByText("µm a pixel").waitFor();
    await p.getByText("Fails", { exact: true }).waitFor();
  });
  const withTrace = (await whole("needs-decision")).find((e) => e.address === "LR-P1:13");
  await shot("trace", `/measure/${withTrace.endId}?how=trace`, async (p) => {
    await p.getByText("This end's connector").first().waitFor();
    await p.getByLabel("Launch cord (m)").fill("150");
    await p.keyboard.press("Tab");
    await p.getByText("over 0.75 dB, the most of one mated pair").waitFor();
    await p.evaluate(() => window.scrollTo(0, 240));
  });
  await shot(
    "measure",
    `/measure/${(await first(api, `status=to-measure&placeId=${panel.panelId}`)).endId}`,
    async (p) => {
      const field = (label, nth = 0) => p.getByLabel(label, { exact: true }).nth(nth);
      await field("Launch against receive cord (dB)").fill("0.06");
      await field("Reference (dBm)").fill("-19.6");
      await field("Reading (dBm)").fill("-20.48");
      await field("Reference (dBm)", 1).fill("-19.5");
      await field("Reading (dBm)", 1).fill("-21.12");
      await p.waitForLoadState("networkidle");
    },
  );
  const remade = (await api("/api/ends?limit=500")).find((e) => e.attempts > 1 && e.status === "accepted");
  await shot("record", `/handover/${remade.endId}`);
  await shot("method", "/methods/wedge-locked-upc-3mm/5", (p) =>
    p.getByRole("heading", { name: "Steps", exact: true }).evaluate((h) => h.scrollIntoView()),
  );
});
await visit("tamsin", "dark", desk, async ({ api, shot }) => {
  const [job] = await api("/api/jobs");
  const detail = await api(`/api/jobs/${job.jobId}`);
  const lamp = detail.spaces.find((x) => x.code === "LR");
  const midRun = detail.panels.find((p) => p.spaceId === lamp.spaceId && p.code === "P2");
  await shot("bench-dark", `/bench/${job.jobId}/${midRun.panelId}`, async (p) => {
    await p.getByRole("option", { name: /Strand 5/ }).click();
    await p.getByText("Back to try again").or(p.getByText("Wipe the bare glass")).first().waitFor();
  });
});
await visit("mira", "light", desk, async ({ page, api, shot }) => {
  const [job] = await api("/api/jobs?find=LL-26-041");
  const post = (path, body) =>
    page.evaluate(
      async ([p, b]) => {
        const { token } = await fetch("/api/session").then((r) => r.json());
        const headers = { "Content-Type": "application/json", "X-Rhabdon-Token": token };
        return fetch(p, { method: "POST", headers, body: JSON.stringify(b) }).then((r) => r.json());
      },
      [path, body],
    );
  await shot("handover", `/handover/job/${job.jobId}`, async (p) => {
    await p.getByRole("button", { name: "Make the PDF" }).click();
    await p.getByRole("link", { name: "PDF" }).first().waitFor();
    await p.evaluate(() => window.scrollTo(0, 0));
  });
  if (!only.length || only.includes("customer")) {
    const { address: link } = await post(`/api/jobs/${job.jobId}/links`, { name: "The keeper", days: 30 });
    const context = await browser.newContext({ viewport: { width: 390, height: 844 }, timezoneId: "Europe/London" });
    const phone = await context.newPage();
    await phone.goto(`${address}/see#${link.split("#")[1]}`);
    await phone.getByText("connectors are proven").waitFor();
    await phone.screenshot({ path: `${folder}/customer.png` });
    console.log("customer");
    await context.close();
  }
  // docs/screenshots/dossier.png is a page of the company's own copy, as any program shows it:
  // pdftoppm -r 90 -f 2 -l 2 -singlefile -png DOSSIER.pdf docs/screenshots/dossier
  await shot("office", "/office/people");
  await shot("rework", "/rework", (p) => p.getByRole("heading", { name: /^Before anyone cuts/ }).waitFor());
  await shot("yield", "/yield?by=crew&and=method", async (p) => {
    await p.getByRole("group", { name: /^Share that went back/ }).waitFor();
    await p.getByRole("heading", { name: "What stands out" }).evaluate((h) => h.scrollIntoView());
  });
});
await visit("tamsin", "dark", { width: 390, height: 844 }, async ({ api, shot }) => {
  const [job] = await api("/api/jobs");
  const loom = await api(`/api/jobs/${job.jobId}/loom`);
  const end = loom.ends.find((e) => e.status === "at-bench");
  if (folder.startsWith("/tmp")) await shot("bench-phone", `/bench/${job.jobId}/${end.placeId}/${end.endId}`);
});
await browser.close();
