import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

/** The verdict, and what the photos had to say beside it. */
export function LightText({ light, seen }: { light: S["LightJudgement"]; seen: S["LightSeen"] }) {
  const { t } = useTranslation();
  return (
    <p>
      <b className={`tone-${light.verdict}`}>{t(`light.${seen}`)}</b>
      {light.ratio != null && ` · ${t("light.ratio", { share: (light.ratio * 100).toFixed(0) })}`}
      {light.differs && light.photosSay && (
        <span className="tone-doubtful"> {t("light.differs", { what: t(`light.${light.photosSay}`) })}</span>
      )}
      <span className="faint"> {t("light.by", { rule: t(`light.rule-${light.rule}`) })}</span>
    </p>
  );
}
