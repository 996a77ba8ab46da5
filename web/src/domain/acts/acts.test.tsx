import { readdirSync, readFileSync } from "node:fs";
import { renderToStaticMarkup } from "react-dom/server";
import { expect, test } from "vitest";
import { parse } from "yaml";
import type { S } from "../../api/client";
import { answerScene } from "./answers";
import type { Facts } from "./facts";
import { FormOf, HEIGHT, WIDTH } from "./pen";
import { scenes } from "./scenes";

const folder = new URL("../../../../procedures/", import.meta.url);
type Step = {
  id: string;
  drawing?: keyof typeof scenes;
  marks?: string[];
  count?: { min: number; max: number };
  timer?: { durationS: number };
  strip?: { layer: Facts["layer"]; notchMm?: number };
  uses?: string[];
  takes?: string[];
  phase?: S["Phase"];
  shards?: number;
  check?: { answers: { id: string; tone: S["Tone"] }[] };
};
const newest = readdirSync(folder)
  .filter((d) => !d.includes("."))
  .map((id) => {
    const version = Math.max(
      ...readdirSync(new URL(`${id}/`, folder))
        .filter((f) => !f.includes(".en."))
        .map((f) => Number.parseInt(f, 10)),
    );
    return parse(readFileSync(new URL(`${id}/${version}.yaml`, folder), "utf8")) as {
      id: string;
      together?: number;
      parts: { id: string }[];
      fits: { forms: S["ConnectorForm"][] };
      steps: Step[];
      prep: { spans: { id: string; from: string; lengthMm: number }[]; cleave?: { lengthMm: number } };
    };
  });

const facts = (p: (typeof newest)[number], s: Step): Facts => ({
  lengths: (s.marks ?? []).map(
    (m) => `${p.prep.spans.find((x) => x.id === m)?.lengthMm ?? p.prep.cleave?.lengthMm} mm`,
  ),
  fromEnd: (s.marks ?? []).map((m) => p.prep.spans.find((x) => x.id === m)?.from === "cable-end"),
  takes: (s.takes ?? []).length > 0,
  outOfTool: (s.takes ?? []).some((id) => p.parts.every((x) => x.id !== id)),
  phase: s.phase ?? "join",
  count: s.count && `${s.count.min}–${s.count.max}`,
  drops: 2,
  seconds: s.timer?.durationS ?? null,
  notch: s.strip?.notchMm ? `${s.strip.notchMm} mm` : null,
  layer: s.strip?.layer ?? null,
  parts: s.uses?.length ?? 0,
  boots: (s.uses ?? []).map((id) => id.includes("boot")),
  lit: false,
  fibers: p.together ?? 1,
  jacketed: p.steps.some((x) => x.strip?.layer === "jacket"),
  shards: s.shards ?? 0,
});
const drawn = (kind: keyof typeof scenes, f: Facts, form: S["ConnectorForm"] = "SC") =>
  renderToStaticMarkup(
    <FormOf.Provider value={form}>
      <svg>{scenes[kind](f)}</svg>
    </FormOf.Provider>,
  );

/** Every place that a drawing names. */
function places(svg: string): [number, number][] {
  const all: [number, number][] = [];
  for (const [, points] of svg.matchAll(/points="([^"]+)"/g))
    for (const p of (points as string).split(" ")) all.push(p.split(",").map(Number) as [number, number]);
  const of = (tag: string, name: string) => Number(new RegExp(` ${name}="([-\\d.]+)"`).exec(tag)?.[1]);
  for (const [tag] of svg.matchAll(/<rect[^>]*>/g)) {
    all.push([of(tag, "x"), of(tag, "y")], [of(tag, "x") + of(tag, "width"), of(tag, "y") + of(tag, "height")]);
  }
  for (const [tag] of svg.matchAll(/<circle[^>]*>/g)) {
    const r = of(tag, "r");
    all.push([of(tag, "cx") - r, of(tag, "cy") - r], [of(tag, "cx") + r, of(tag, "cy") + r]);
  }
  for (const [tag, words] of svg.matchAll(/<text[^>]*>([^<]*)</g)) {
    all.push([of(tag, "x"), of(tag, "y") - 10], [of(tag, "x") + (words as string).length * 5.7, of(tag, "y")]);
  }
  return all;
}

test("every act of every shipped procedure has a drawing, and none leaves its frame", () => {
  for (const p of newest)
    for (const s of p.steps) {
      expect(s.drawing, `${p.id}: ${s.id}`).toBeDefined();
      for (const form of p.fits.forms)
        for (const [x, y] of places(drawn(s.drawing as keyof typeof scenes, facts(p, s), form))) {
          expect(
            x >= -0.5 && x <= WIDTH + 0.5 && y >= -0.5 && y <= HEIGHT + 0.5,
            `${p.id}: ${s.id} at ${x}, ${y}`,
          ).toBe(true);
        }
    }
});

test("a drawing changes when its number does", () => {
  for (const p of newest)
    for (const s of p.steps.filter((s) => s.drawing)) {
      const f = facts(p, s);
      const kind = s.drawing as keyof typeof scenes;
      const shows = (change: Partial<Facts>) => drawn(kind, { ...f, ...change }) !== drawn(kind, f);
      if (f.lengths.length > 0)
        expect(shows({ lengths: f.lengths.map((l) => `9${l}`) }), `${p.id}: ${s.id} length`).toBe(true);
      if (f.count && kind === "eights") expect(shows({ count: "97" }), `${p.id}: ${s.id} count`).toBe(true);
      if (f.seconds !== null) expect(shows({ seconds: 41 }), `${p.id}: ${s.id} seconds`).toBe(true);
      if (f.notch) expect(shows({ notch: "7 mm" }), `${p.id}: ${s.id} notch`).toBe(true);
    }
});

test("connectors of different forms are drawn differently, a sleeve differently from a boot", () => {
  const f: Facts = { ...facts(newest[0] as (typeof newest)[number], { id: "x" }), parts: 1, boots: [true] };
  const forms = (["SC", "LC", "ST", "FC", "MPO", "hardened-drop"] as const).map((form) => drawn("insert", f, form));
  expect(new Set(forms).size).toBe(forms.length);
  expect(drawn("thread", f)).not.toBe(drawn("thread", { ...f, boots: [false] }));
});

test("a jacket is drawn only where the method takes one off", () => {
  for (const p of newest)
    for (const s of p.steps.filter((s) => s.drawing === "bite")) {
      const f = facts(p, s);
      expect(f.jacketed, p.id).toBe(p.steps.some((x) => x.id === "jacket"));
      expect(drawn("bite", f)).not.toBe(drawn("bite", { ...f, jacketed: !f.jacketed }));
    }
});

test("no two answers of a check share a drawing", () => {
  for (const p of newest)
    for (const s of p.steps.filter((s) => s.check)) {
      const all = (s.check?.answers ?? []).flatMap((a) => {
        const scene = answerScene(s.drawing as keyof typeof scenes, a);
        return scene ? [renderToStaticMarkup(<svg>{scene}</svg>)] : [];
      });
      // Judged by eye: all of its answers show what they look like.
      if (["glow", "side-view", "end-face", "sleeve", "arc", "scribe", "insert"].includes(s.drawing ?? ""))
        expect(all.length, `${p.id}: ${s.id}`).toBe(s.check?.answers.length);
      expect(new Set(all).size, `${p.id}: ${s.id}`).toBe(all.length);
    }
});
