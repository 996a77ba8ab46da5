import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

/** What a thing that is packed is called. */
export function useItemName() {
  const { t } = useTranslation();
  return (i: S["KitItem"]): string => {
    if (i.kind === "connector")
      return `${t(`form.${i.form}`)}/${i.polish} ${t(`mode.${i.mode}`)}, ${t(`method.${i.method}`)}`;
    if (i.kind === "part")
      return `${t(`packed.${i.part}`, { defaultValue: i.part })}, ${t(`construction.${i.construction}`)}`;
    return supplyName(t, i.supply as S["SupplyKind"], i.detail);
  };
}

export const supplyName = (
  t: (key: string, args?: Record<string, unknown>) => string,
  kind: S["SupplyKind"],
  detail: string | null | undefined,
) =>
  kind === "alcohol-ml" && detail
    ? t("supply.alcoholOf", { percent: detail })
    : kind === "film-sheet" && detail
      ? t("supply.filmOf", { film: detail })
      : t(`supply.${kind}`);

const MILLILITRES: string[] = ["alcohol-ml", "primer-ml", "adhesive-ml"];

/** A number of pieces, or millilitres. */
export const amountOf = (count: number, kind?: string | null) =>
  MILLILITRES.includes(kind ?? "") ? `${+count.toFixed(count < 10 ? 1 : 0)} ml` : `${Math.round(count)} ×`;

export const sameItem = (a: S["KitItem"], b: S["KitItem"]) =>
  (["kind", "method", "form", "polish", "mode", "part", "construction", "supply", "detail"] as const).every(
    (k) => (a[k] ?? null) === (b[k] ?? null),
  );
