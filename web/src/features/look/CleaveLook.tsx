import { useState } from "react";
import { useTranslation } from "react-i18next";
import { query, type S, upload } from "../../api/client";
import { FilePick, pictures } from "../../ui/FilePick";
import { useFault } from "../../ui/Parts";

/** A cleave from the side: its angle, lip, chip and hackle, judged by the method before the next strip is lost. */
export function CleaveLook({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const fault = useFault();
  const [busy, setBusy] = useState(false);
  const [answer, setAnswer] = useState<S["CleaveAnswer"] | null>(null);
  const read = async (file: Blob) => {
    setBusy(true);
    try {
      const asked = query({ method: end.method, polish: end.polish });
      setAnswer(await upload<S["CleaveAnswer"]>(`/api/calc/cleave${asked}`, file));
    } catch (e) {
      fault(e);
    } finally {
      setBusy(false);
    }
  };
  const { view, verdict } = answer ?? {};
  return (
    <section className="card">
      <FilePick label={t("cleave.take")} accept={pictures} first={true} busy={busy} onFile={read} />
      <p className="faint">{t("cleave.hint")}</p>
      {answer && !answer.gradable && <p className="tone-doubtful">{answer.reasonText}</p>}
      {view && verdict && (
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
            <dt>{t("cleave.lip")}</dt>
            <dd>{view.lipUm.toFixed(1)} µm</dd>
            <dt>{t("cleave.chip")}</dt>
            <dd>{view.chipUm.toFixed(1)} µm</dd>
            <dt>{t("cleave.hackle")}</dt>
            <dd>{view.roughUm.toFixed(1)} µm</dd>
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
      )}
    </section>
  );
}
