import type { CSSProperties } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useLength } from "../../ui/settings";
import { strandPaint } from "../../ui/theme";
import { answerScene } from "./answers";
import type { Facts } from "./facts";
import { FormOf, HEIGHT, WIDTH } from "./pen";
import { scenes } from "./scenes";

/** What an act's drawing is drawn from. */
type Drawn = Pick<
  S["RunState"],
  "drawing" | "dimensions" | "count" | "timer" | "strip" | "uses" | "takes" | "light" | "shards" | "phase"
> & { detail?: string | null };

/** What is drawn of the procedure that the act belongs to. */
type Whole = Pick<S["RunTable"], "parts" | "together"> & { states: Pick<S["RunState"], "strip">[] };

export function factsOf(state: Drawn, table: Whole, length: (mm: number, exact?: boolean) => string): Facts {
  const named = (ids?: string[] | null) => (ids ?? []).flatMap((id) => table.parts.filter((p) => p.id === id));
  return {
    lengths: state.dimensions.map((d) => length(d.lengthMm, true)),
    fromEnd: state.dimensions.map((d) => d.fromEnd),
    takes: (state.takes ?? []).length > 0,
    outOfTool: (state.takes ?? []).some((id) => table.parts.every((p) => p.id !== id)),
    phase: state.phase,
    count:
      state.count &&
      (state.count.min === state.count.max ? `${state.count.min}` : `${state.count.min}–${state.count.max}`),
    drops: /two drops|and one on/i.test(state.detail ?? "") ? 2 : /drop/i.test(state.detail ?? "") ? 1 : 0,
    seconds: state.timer?.durationS ?? null,
    notch: state.strip?.notchMm != null ? length(state.strip.notchMm, true) : null,
    layer: state.strip?.layer ?? null,
    parts: named(state.uses).length,
    boots: named(state.uses).map((p) => /boot|relief/.test(p.id)),
    lit: state.light != null,
    fibers: table.together,
    jacketed: table.states.some((s) => s.strip?.layer === "jacket"),
    shards: state.shards,
  };
}

/** The drawing of an act: made from its own figures, with the strand in its colour. */
export function ActDrawing({
  state,
  table,
  colour,
  form,
}: {
  state: Drawn;
  table: Whole;
  colour?: string;
  form?: S["ConnectorForm"];
}) {
  const { t } = useTranslation();
  const length = useLength();
  const scene = state.drawing && scenes[state.drawing];
  if (!scene) return null;
  const used = (state.uses ?? []).flatMap((id) => table.parts.filter((p) => p.id === id));
  return (
    <figure className="act-drawing">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={t(`drawing.${state.drawing}`)}
        style={{ "--strand": (colour && strandPaint[colour]) || undefined } as CSSProperties}
      >
        <FormOf.Provider value={form ?? "SC"}>{scene(factsOf(state, table, length))}</FormOf.Provider>
      </svg>
      {used.length > 0 && (
        <figcaption className="small">
          {used.map((p, i) => (
            <span key={p.id}>
              {i + 1} {p.name}
              {p.first ? `: ${t("bench.firstSide", { side: p.first })}` : ""}
            </span>
          ))}
        </figcaption>
      )}
    </figure>
  );
}

/** What an answer that is judged by eye looks like. */
export function AnswerDrawing({ state, answer }: { state: Pick<S["RunState"], "drawing">; answer: S["RunAnswer"] }) {
  const scene = state.drawing && answerScene(state.drawing, answer);
  if (!scene) return null;
  return (
    <svg viewBox="0 0 60 40" className="answer-drawing" aria-hidden="true">
      {scene}
    </svg>
  );
}
