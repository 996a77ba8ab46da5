import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { dB } from "../ui/settings";

export function LossText({ judgement: j, farEndUnknown }: { judgement: S["LossJudgement"]; farEndUnknown?: boolean }) {
  const { t } = useTranslation();
  const open = farEndUnknown && (j.verdict === "pass" || j.verdict.startsWith("marginal"));
  const tone = open || j.verdict.startsWith("marginal") ? "doubtful" : j.verdict === "pass" ? "good" : "bad";
  return (
    <>
      <dl className="facts">
        <dt>{t("measure.loss")}</dt>
        <dd>
          <b>{dB(j.lossDb)} dB</b>
        </dd>
        <dt>{t("measure.limit")}</dt>
        <dd>
          {dB(j.limit.limitDb)} dB{" "}
          <span className="faint">
            {t("measure.limitText", {
              cable: dB(j.limit.cableDb),
              connections: dB(j.limit.connectionsDb),
              count: j.limit.connectionsCounted,
              splices: dB(j.limit.splicesDb),
            })}
          </span>
        </dd>
        <dt>{t("measure.margin")}</dt>
        <dd>{dB(j.marginDb)} dB</dd>
        <dt>{t("measure.verdict")}</dt>
        <dd className={`tone-${tone}`}>
          <b>{open ? t("farEnd.passIf", { verdict: t(`loss.${j.verdict}`) }) : t(`loss.${j.verdict}`)}</b>
        </dd>
      </dl>
      {j.verdict === "bad-reference" && <p className="tone-bad">{t("loss.badReferenceText")}</p>}
      <p className="faint">{j.limit.edition}</p>
    </>
  );
}
