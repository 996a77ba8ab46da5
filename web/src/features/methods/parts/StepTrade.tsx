import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { ActDrawing } from "../../../domain/acts/ActDrawing";
import { Choose, Flag, Many, Num } from "../fields";
import { type Doc, drawings } from "../useDraft";
import { choicesOf, useChoiceOf, whenOf } from "./schools";

const layers = ["jacket", "aramid", "tube", "buffer", "coating", "glass"] as const;

/** What an act does to parts, caps, clamps and layers, by which the trade's plain faults are found; and which drawing shows it. */
export function StepTrade({
  doc,
  step,
  at,
  set,
}: {
  doc: Doc;
  step: S["Step"];
  at: string;
  set: (change: Partial<S["Step"]>) => void;
}) {
  const { t } = useTranslation();
  const choiceOf = useChoiceOf();
  const parts = doc.parts.map((p) => ({ value: p.id, label: p.name }));
  const tools = doc.tools.map((x) => ({ value: x.id, label: x.name }));
  const things = { uses: parts, crimps: parts, puts: [...parts, ...tools], takes: [...parts, ...tools] };
  const strip = step.strip;
  const move = step.moves?.[0];
  const others = doc.steps.filter((s) => s.id !== step.id).map((s) => ({ value: s.id, label: s.act }));
  return (
    <div className="row">
      <Flag label={t("methods.once")} value={step.once ?? false} onChange={(once) => set({ once })} />
      <Flag label={t("methods.lit")} value={step.lit ?? false} onChange={(lit) => set({ lit })} />
      {(["uses", "crimps", "puts", "takes"] as const).map((what) => (
        <Many
          key={what}
          label={t(`methods.${what}`)}
          at={`${at}.${what}`}
          value={step[what] ?? []}
          options={things[what]}
          room="m"
          onChange={(v) => set({ [what]: v.length > 0 ? v : null })}
        />
      ))}
      <Choose
        label={t("methods.strips")}
        at={`${at}.strip`}
        clear
        room="s"
        value={strip?.layer}
        options={layers.map((l) => ({ value: l, label: t(`methods.layer.${l}`) }))}
        onChange={(v) =>
          set({ strip: v ? { notchMm: 0.9, ...strip, layer: v as NonNullable<S["Step"]["strip"]>["layer"] } : null })
        }
      />
      {strip && (
        <>
          <Num
            label={`${t("methods.notch")} (mm)`}
            at=""
            value={strip.notchMm}
            onChange={(n) => set({ strip: { layer: strip.layer, notchMm: n ?? null, tool: n ? null : strip.tool } })}
          />
          <Choose
            label={t("methods.byTool")}
            at=""
            clear
            value={strip.tool}
            options={tools}
            onChange={(v) => set({ strip: { layer: strip.layer, notchMm: v ? null : strip.notchMm, tool: v } })}
          />
        </>
      )}
      <Num
        label={`${t("methods.spliceLoss")} (dB)`}
        at={`${at}.splice`}
        value={step.splice?.mostLossDb}
        onChange={(n) => set({ splice: n ? { mostAngleDeg: 2, ...step.splice, mostLossDb: n } : null })}
      />
      {step.splice && (
        <Num
          label={`${t("methods.spliceAngle")} (°)`}
          at=""
          value={step.splice.mostAngleDeg}
          onChange={(n) => step.splice && set({ splice: { ...step.splice, mostAngleDeg: n ?? 2 } })}
        />
      )}
      <Choose
        label={t("methods.drawing")}
        at={`${at}.drawing`}
        clear
        value={step.drawing}
        options={drawings.map((d) => ({ value: d, label: t(`drawing.${d}`) }))}
        onChange={(v) => set({ drawing: v as S["Step"]["drawing"] })}
      />
      <Preview doc={doc} step={step} />
      <Many
        label={t("methods.movesWhen")}
        at={`${at}.moves`}
        value={move ? choicesOf(move) : []}
        options={choiceOf(doc)}
        onChange={(v) => {
          const when = whenOf(v);
          set({ moves: when ? [{ ...when, after: move?.after ?? others[0]?.value ?? "" }] : null });
        }}
      />
      {move && (
        <Choose
          label={t("methods.movesAfter")}
          at=""
          value={move.after}
          options={others}
          onChange={(v) => set({ moves: [{ ...move, after: v ?? "" }] })}
        />
      )}
    </div>
  );
}

/** The drawing as it will be, with the lengths of this draft. */
function Preview({ doc, step }: { doc: Doc; step: S["Step"] }) {
  const marks = (step.marks ?? []).flatMap((id) => [
    ...doc.prep.spans
      .filter((s) => s.id === id)
      .map((s) => ({ lengthMm: s.lengthMm, fromEnd: s.from === "cable-end" })),
    ...(id === "cleave" && doc.prep.cleave ? [{ lengthMm: doc.prep.cleave.lengthMm, fromEnd: false }] : []),
  ]);
  const state = {
    ...step,
    dimensions: marks.map((m, i) => ({ id: String(i), name: "", toleranceMm: null, ...m })),
    light: step.check?.light ?? null,
    count: step.count ?? null,
    timer: step.timer ?? null,
  };
  return <ActDrawing state={state} table={{ parts: doc.parts, together: doc.together ?? 1, states: doc.steps }} />;
}
