import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { Drop, swap } from "../../../ui/rows";
import { Choose, Flag, Num, Text } from "../fields";
import { fresh } from "../rows";
import type { Doc, Editing } from "../useDraft";
import { OnlyWhen } from "./OnlyWhen";

/** Marks, the distances between them, and the cleave. */
export function PrepEdit({ doc, set }: Editing) {
  const { t } = useTranslation();
  const prep = doc.prep;
  const setPrep = (change: Partial<Doc["prep"]>) => set({ prep: { ...prep, ...change } });
  const points = [
    { value: "cable-end", label: t("methods.cableEnd") },
    ...prep.points.map((p) => ({ value: p.id, label: p.name })),
  ];
  const layers = ["jacket", "aramid", "tube", "buffer", "coating", "glass"].map((l) => ({
    value: l,
    label: t(`methods.layer.${l}`),
  }));
  const bases = ["shown", "ours"].map((b) => ({ value: b, label: t(`basis.${b}`) }));
  return (
    <section className="card">
      <h2>{t("methods.marks")}</h2>
      {prep.points.map((p, i) => (
        <div className="row line" key={p.id}>
          <Text
            label={t("methods.mark")}
            at={`prep.points.${p.id}`}
            value={p.name}
            room="l"
            onChange={(name) => setPrep({ points: swap(prep.points, i, { ...p, name }) })}
          />
          <Choose
            label={t("methods.edgeOf")}
            at=""
            value={p.layer}
            options={layers}
            onChange={(v) => setPrep({ points: swap(prep.points, i, { ...p, layer: v as S["Layer"] }) })}
          />
          <Flag
            label={t("methods.onlyMark")}
            value={p.mark ?? false}
            onChange={(mark) => setPrep({ points: swap(prep.points, i, { ...p, mark }) })}
          />
          <OnlyWhen
            doc={doc}
            at={`prep.points[${p.id}].when`}
            value={p.when}
            onChange={(when) => setPrep({ points: swap(prep.points, i, { ...p, when }) })}
          />
          <Drop what={p.name} onDrop={() => setPrep({ points: prep.points.filter((_, n) => n !== i) })} />
        </div>
      ))}
      {prep.spans.map((s, i) => (
        <div className="row line" key={s.id}>
          <Choose
            label={t("methods.from")}
            at={`prep.spans.${s.id}`}
            value={s.from}
            options={points}
            onChange={(v) => setPrep({ spans: swap(prep.spans, i, { ...s, from: v ?? "" }) })}
          />
          <Choose
            label={t("methods.to")}
            at=""
            value={s.to}
            options={points}
            onChange={(v) => setPrep({ spans: swap(prep.spans, i, { ...s, to: v ?? "" }) })}
          />
          <Num
            label={`${t("methods.length")} (mm)`}
            at={`prep.spans.${s.id}.lengthMm`}
            value={s.lengthMm}
            onChange={(n) => setPrep({ spans: swap(prep.spans, i, { ...s, lengthMm: n ?? 0 }) })}
          />
          <Choose
            label={t("methods.basis")}
            at=""
            clear
            value={s.basis}
            options={bases}
            onChange={(v) => setPrep({ spans: swap(prep.spans, i, { ...s, basis: v as S["Basis"] | null }) })}
          />
          <Drop what={s.id} onDrop={() => setPrep({ spans: prep.spans.filter((_, n) => n !== i) })} />
        </div>
      ))}
      <div className="row">
        <Button
          onClick={() =>
            setPrep({
              points: [
                ...prep.points,
                {
                  id: fresh(
                    "mark",
                    prep.points.map((p) => p.id),
                  ),
                  name: t("methods.mark"),
                  layer: "buffer",
                  mark: false,
                },
              ],
            })
          }
        >
          {t("methods.addMark")}
        </Button>
        <Button
          onClick={() =>
            setPrep({
              spans: [
                ...prep.spans,
                {
                  id: fresh(
                    "span",
                    prep.spans.map((p) => p.id),
                  ),
                  from: "cable-end",
                  to: prep.points.at(-1)?.id ?? "cable-end",
                  lengthMm: 10,
                },
              ],
            })
          }
        >
          {t("methods.addSpan")}
        </Button>
        {prep.cleave ? (
          <>
            <Choose
              label={t("methods.cleaveFrom")}
              at="prep.cleave.from"
              value={prep.cleave.from}
              options={points}
              onChange={(v) => prep.cleave && setPrep({ cleave: { ...prep.cleave, from: v ?? "" } })}
            />
            <Num
              label={`${t("methods.cleaveLength")} (mm)`}
              at="prep.cleave.lengthMm"
              value={prep.cleave.lengthMm}
              onChange={(n) => prep.cleave && setPrep({ cleave: { ...prep.cleave, lengthMm: n ?? 0 } })}
            />
            <Num
              label="± (mm)"
              at="prep.cleave.toleranceMm"
              value={prep.cleave.toleranceMm}
              onChange={(n) => prep.cleave && setPrep({ cleave: { ...prep.cleave, toleranceMm: n ?? 0 } })}
            />
            <Drop what={t("methods.cleaveFrom")} onDrop={() => setPrep({ cleave: null })} />
          </>
        ) : (
          <Button
            onClick={() =>
              setPrep({ cleave: { from: prep.points.at(-1)?.id ?? "cable-end", lengthMm: 10, toleranceMm: 0.5 } })
            }
          >
            {t("methods.addCleave")}
          </Button>
        )}
        <Choose
          label={t("methods.stripTo")}
          at="prep.strip.to"
          clear
          value={prep.strip?.to}
          options={points}
          onChange={(to) => setPrep({ strip: to ? { to, biteMm: prep.strip?.biteMm ?? null } : null })}
        />
        {prep.strip && (
          <Num
            label={`${t("methods.bite")} (mm)`}
            at="prep.strip.biteMm"
            value={prep.strip.biteMm}
            onChange={(biteMm) => prep.strip && setPrep({ strip: { ...prep.strip, biteMm: biteMm ?? null } })}
          />
        )}
        <Num
          label={`${t("methods.cutBehind")} (mm)`}
          at="prep.cutBehindJacketMm"
          value={prep.cutBehindJacketMm}
          onChange={(n) => setPrep({ cutBehindJacketMm: n ?? 0 })}
        />
        <Num
          label={`${t("prep.clamp")} (mm)`}
          at="prep.clampFromEndMm"
          value={prep.clampFromEndMm}
          onChange={(n) => setPrep({ clampFromEndMm: n })}
        />
      </div>
    </section>
  );
}
