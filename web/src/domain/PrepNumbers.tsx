import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLength } from "../ui/settings";

export function PrepNumbers({ prep }: { prep: S["PrepCard"] }) {
  const { t } = useTranslation();
  const length = useLength();
  const range = (r: S["ToleratedMm"] | null) =>
    r ? `${length(r.nominalMm)} (${length(r.minMm, false)}–${length(r.maxMm)})` : t("prep.noCleave");
  const lines: [string, string | null][] = [
    ["clamp", prep.clampFromEndMm === null ? null : length(prep.clampFromEndMm)],
    ["jacketOff", prep.jacketOffMm === null ? null : length(prep.jacketOffMm)],
    ["aramid", prep.aramidBeyondJacketMm === null ? null : length(prep.aramidBeyondJacketMm)],
    ["buffer", prep.bufferBeyondJacketMm === null ? null : length(prep.bufferBeyondJacketMm)],
    ["bare", prep.bareMm === null ? null : length(prep.bareMm)],
    ["cleaved", range(prep.cleavedMm)],
    ["shard", range(prep.shardMm)],
    [
      "bites",
      prep.bites ? t("prep.bitesText", { five: prep.bites.inFiveMm, quarter: prep.bites.inQuarterInch }) : null,
    ],
    ["cutOff", length(prep.cutOffUsesMm)],
  ];
  return (
    <dl className="facts">
      {lines.map(
        ([name, value]) =>
          value !== null && (
            <div key={name} className="contents">
              <dt>{t(`prep.${name}`)}</dt>
              <dd>{value}</dd>
            </div>
          ),
      )}
    </dl>
  );
}
