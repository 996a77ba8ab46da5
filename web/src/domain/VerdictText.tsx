import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

/** The grade in words, with what decided it and whose limits they are. */
export function VerdictText({ verdict }: { verdict: S["EndFaceVerdict"] }) {
  const { t } = useTranslation();
  return (
    <div>
      <p className={verdict.pass ? "tone-good" : "tone-bad"}>
        <b>{t(verdict.pass ? "look.pass" : "look.fail")}</b>
      </p>
      <ul>
        {verdict.decidedBy.map((b) => (
          <li key={`${b.zone}${b.scratches}${b.allowed}`}>
            {t("look.decidedBy", {
              count: b.found,
              what: t(b.scratches ? "look.scratches" : "look.defects"),
              zone: b.zone,
              size: Math.round(b.largestUm * 10) / 10,
              allowed: b.allowed,
            })}
          </li>
        ))}
      </ul>
      {verdict.advice !== "none" && <p>{t(`advice.${verdict.advice}`)}</p>}
      <p className="faint">{t("look.edition", { edition: verdict.edition })}</p>
    </div>
  );
}
