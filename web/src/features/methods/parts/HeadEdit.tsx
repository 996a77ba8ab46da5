import { useTranslation } from "react-i18next";
import { choices, useChoices } from "../../../ui/Parts";
import { Many, Num, Text } from "../fields";
import type { Doc, Editing } from "../useDraft";

/** Name, source and what it fits. */
export function HeadEdit({ doc, set }: Editing) {
  const { t } = useTranslation();
  const named = useChoices();
  const options = {
    raw: (name: keyof typeof choices) => named(["form", "construction"].includes(name) ? name : "", choices[name]),
  };
  return (
    <section className="card">
      <div className="row">
        <Text label={t("methods.name")} at="title" value={doc.title} onChange={(title) => set({ title })} room="xxl" />
        <Text
          label={t("methods.source")}
          at="source"
          value={doc.source}
          onChange={(source) => set({ source })}
          room="xxl"
        />
        <Num
          label={t("methods.together")}
          at="together"
          value={doc.together ?? 1}
          onChange={(n) => set({ together: n ?? 1 })}
        />
        <Many
          label={t("plan.form")}
          at="fits.forms"
          value={doc.fits.forms}
          options={options.raw("form")}
          onChange={(v) => set({ fits: { ...doc.fits, forms: v as Doc["fits"]["forms"] } })}
        />
        <Many
          label={t("plan.polish")}
          at="fits.polishes"
          value={doc.fits.polishes}
          options={options.raw("polish")}
          onChange={(v) => set({ fits: { ...doc.fits, polishes: v as Doc["fits"]["polishes"] } })}
        />
        <Many
          label={t("plan.construction")}
          at="fits.constructions"
          value={doc.fits.constructions}
          options={options.raw("construction")}
          onChange={(v) => set({ fits: { ...doc.fits, constructions: v as Doc["fits"]["constructions"] } })}
        />
        <Many
          label={t("plan.fiberClass")}
          at="fits.classes"
          value={doc.fits.classes}
          options={options.raw("fiberClass")}
          onChange={(v) => set({ fits: { ...doc.fits, classes: v as Doc["fits"]["classes"] } })}
        />
      </div>
    </section>
  );
}
