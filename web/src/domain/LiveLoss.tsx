import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useInstruments, useKnown } from "../api/hooks";
import { lossVerdict } from "../engine/loss";
import { dB } from "../ui/settings";
import { type Reference, readingDbm } from "./reference";

/** What a reading comes to while it is typed: the loss, and what is in hand to the plan's own limit. */
export function LiveLoss(props: {
  end: S["EndView"];
  nm: number;
  reference: Reference;
  referenceDbm: number | null;
  shown: number | null | undefined;
}) {
  const { t } = useTranslation();
  const { end, nm, reference, referenceDbm, shown } = props;
  const usual = useKnown().data?.usualRepeatabilityDb ?? 0;
  const meter = (useInstruments().data ?? []).find((m) => m.id === reference.instrumentId);
  if (typeof shown !== "number" || referenceDbm === null) return null;
  const lossDb = referenceDbm - readingDbm(reference, shown);
  const limit = end.lossLimits.find((l) => l.wavelengthNm === nm && l.reference === reference.method);
  if (!limit) return <span className="live">{dB(lossDb)} dB</span>;
  const verdict = lossVerdict(lossDb, limit.limitDb, meter?.repeatabilityDb ?? usual);
  const tone = verdict === "pass" ? "good" : verdict.startsWith("marginal") ? "doubtful" : "bad";
  const marginDb = limit.limitDb - lossDb;
  return (
    <span className={`live tone-${tone}`} role="status">
      {verdict === "bad-reference"
        ? t("loss.bad-reference")
        : t(marginDb < 0 ? "reference.over" : "reference.inHand", { loss: dB(lossDb), margin: dB(Math.abs(marginDb)) })}
    </span>
  );
}
