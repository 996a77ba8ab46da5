import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLength } from "../ui/settings";

export function SlackText({ slack }: { slack: S["SlackOutlook"] }) {
  const { t } = useTranslation();
  const length = useLength();
  return (
    <p>
      <b>{length(slack.leftMm)}</b>, {t("prep.cutOffsLeft", { count: slack.cutOffsLeft })}
    </p>
  );
}
