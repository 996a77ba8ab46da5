import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Many, Text } from "../fields";
import { Drop, fresh, swap } from "../rows";
import type { Editing } from "../useDraft";

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
