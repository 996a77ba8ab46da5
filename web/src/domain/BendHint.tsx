import { useTranslation } from "react-i18next";
import { useKnown } from "../api/hooks";
import { bent } from "../engine/loss";
import { type Reference, readingDbm } from "./reference";

/** Said while readings are typed, before anybody takes a blade: the longer wavelength well above the shorter is a bend. */
export function BendHint(props: {
  wavelengths: number[];
  reference: Reference;
  referenceDbm: (nm: number) => number | null;
  shown: (nm: number) => number | null | undefined;
}) {
  const { t } = useTranslation();
  const known = useKnown().data;
  if (!known) return null;
  const losses: Record<number, number> = {};
  for (const nm of props.wavelengths) {
    const [zero, shown] = [props.referenceDbm(nm), props.shown(nm)];
    if (zero !== null && typeof shown === "number") losses[nm] = zero - readingDbm(props.reference, shown);
  }
  if (!bent(losses, known.bendDb)) return null;
  const [short, long] = [Math.min(...props.wavelengths), Math.max(...props.wavelengths)];
  return (
    <p className="tone-doubtful" role="status">
      {t("loss.bend", { short, long })}
    </p>
  );
}
