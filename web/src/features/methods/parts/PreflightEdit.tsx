import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { Drop, swap } from "../../../ui/rows";
import { Many, Num, Text } from "../fields";
import { fresh } from "../rows";
import type { Editing } from "../useDraft";
import { OnlyWhen } from "./OnlyWhen";

/** What is asked before the first act, and the steps that wait for it. */
export function PreflightEdit({ doc, set }: Editing) {
  const { t } = useTranslation();
  return (
    <section className="card">
      <h2>{t("bench.preflight")}</h2>
      {(doc.preflight ?? []).map((p, i) => (
        <div className="row line" key={p.id}>
          <Text
            label={t("methods.item")}
            at={`preflight[${p.id}].text`}
            value={p.text}
            onChange={(text) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, text }) })}
          />
          <Text
            label={t("methods.why")}
            at={`preflight[${p.id}].why`}
            value={p.why}
            onChange={(why) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, why }) })}
          />
          <Many
            label={t("methods.guards")}
            at={`preflight[${p.id}].guards`}
            value={p.guards}
            options={doc.steps.map((s) => ({ value: s.id, label: s.act }))}
            onChange={(guards) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, guards }) })}
          />
          <Many
            label={t("methods.asks")}
            at={`preflight[${p.id}].asks`}
            value={p.asks ?? []}
            options={(["lot", "use-by", "number"] as const).map((a) => ({ value: a, label: t(`methods.ask.${a}`) }))}
            room="m"
            onChange={(asks) =>
              set({ preflight: swap(doc.preflight ?? [], i, { ...p, asks: asks as S["PreflightAsk"][] }) })
            }
          />
          {p.asks?.includes("number") && (
            <>
              <Num
                label={t("methods.least")}
                at={`preflight[${p.id}].min`}
                value={p.min}
                onChange={(min) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, min: min ?? null }) })}
              />
              <Text
                label={t("methods.unit")}
                at={`preflight[${p.id}].unit`}
                value={p.unit ?? ""}
                room="xs"
                onChange={(unit) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, unit: unit || null }) })}
              />
            </>
          )}
          <Num
            label={`${t("methods.warmUp")} (s)`}
            at={`preflight[${p.id}]`}
            value={p.warmUpS}
            onChange={(warmUpS) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, warmUpS: warmUpS ?? null }) })}
          />
          <Num
            label={`${t("methods.lasts")} (s)`}
            at=""
            value={p.lastsS}
            onChange={(lastsS) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, lastsS: lastsS ?? null }) })}
          />
          <OnlyWhen
            doc={doc}
            at={`preflight[${p.id}].when`}
            value={p.when}
            onChange={(when) => set({ preflight: swap(doc.preflight ?? [], i, { ...p, when }) })}
          />
          <Drop what={p.text} onDrop={() => set({ preflight: (doc.preflight ?? []).filter((_, n) => n !== i) })} />
        </div>
      ))}
      <Button
        onClick={() =>
          set({
            preflight: [
              ...(doc.preflight ?? []),
              {
                id: fresh(
                  "item",
                  (doc.preflight ?? []).map((p) => p.id),
                ),
                text: t("methods.newItem"),
                why: t("methods.why"),
                guards: doc.steps[0] ? [doc.steps[0].id] : [],
              },
            ],
          })
        }
      >
        {t("methods.addItem")}
      </Button>
    </section>
  );
}
