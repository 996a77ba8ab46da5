import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { useKnown } from "../../../api/hooks";
import type { Doc } from "../useDraft";

/** Every choice of every option, and what a planned end itself answers, as entries of a list. */
export function useChoiceOf() {
  const { t } = useTranslation();
  const classes = useKnown().data?.fiberClasses ?? [];
  return (doc: Doc) => {
    const modes = new Set(classes.filter((c) => doc.fits.classes.includes(c.fiberClass)).map((c) => c.mode));
    return [
      ...(doc.options ?? []).flatMap((o) =>
        o.choices.map((c) => ({ value: `${o.id}:${c.id}`, label: `${o.question} ${c.label}` })),
      ),
      ...doc.fits.forms.map((f) => ({ value: `form:${f}`, label: `${t("methods.by.form")}: ${t(`form.${f}`)}` })),
      ...doc.fits.polishes.map((p) => ({ value: `polish:${p}`, label: `${t("methods.by.polish")}: ${p}` })),
      ...["none", "simplex", "duplex"].map((c) => ({ value: `cord:${c}`, label: t(`cord.${c}`) })),
      ...[...modes].map((m) => ({ value: `mode:${m}`, label: `${t("methods.by.mode")}: ${t(`mode.${m}`)}` })),
    ];
  };
}

export const choicesOf = (when: S["When"] | S["Move"] | null | undefined) =>
  when ? when.is.map((c) => `${when.option}:${c}`) : [];

/** The choices of the option that was chosen last; a condition is of one option. */
export function whenOf(chosen: string[]): S["When"] | null {
  const option = chosen.at(-1)?.split(":")[0];
  const is = chosen.filter((x) => x.startsWith(`${option}:`)).map((x) => x.split(":")[1] as string);
  return option ? { option, is } : null;
}
