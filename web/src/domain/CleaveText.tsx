import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

export function CleaveText({ view, verdict }: { view: S["CleaveView"]; verdict: S["CleaveVerdict"] }) {
  const { t } = useTranslation();
  return (
    <>
      <dl className="facts">
        <dt>{t("cleave.angle")}</dt>
        <dd>
          <b>{view.angleDeg.toFixed(1)}°</b>{" "}
          <span className="faint">
            {t(verdict.rule.nominalDeg === 0 ? "cleave.square" : "cleave.angled", {
              nominal: verdict.rule.nominalDeg,
              tolerance: verdict.rule.toleranceDeg,
            })}
          </span>
        </dd>
        {(["lip", "chip", "hackle"] as const).map((what) => {
          const [seen, most] = {
            lip: [view.lipUm, verdict.rule.mostLipUm],
            chip: [view.chipUm, verdict.rule.mostChipUm],
            hackle: [view.roughUm, verdict.rule.mostRoughUm],
          }[what] as [number, number];
          return (
            <div key={what} className="contents">
              <dt>{t(`cleave.${what}`)}</dt>
              <dd>
                {seen.toFixed(1)} µm <span className="faint">{t("cleave.most", { most })}</span>
              </dd>
            </div>
          );
        })}
      </dl>
      <p className={verdict.pass ? (verdict.doubtful ? "tone-doubtful" : "tone-good") : "tone-bad"}>
        <b>
          {verdict.pass
            ? t(verdict.doubtful ? "cleave.doubtful" : "cleave.good")
            : t("cleave.bad", { what: verdict.faults.map((f) => t(`cleave.${f}`)).join(", ") })}
        </b>
      </p>
      <p className="faint">{t("cleave.source", { source: verdict.rule.source })}</p>
    </>
  );
}
