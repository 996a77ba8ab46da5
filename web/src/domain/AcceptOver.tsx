import { AutoComplete, Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLedger } from "../offline/useLedger";

/** A reading over its limit that the meter cannot tell from it: a lead accepts it where it is seen, and says why. */
export function AcceptOver(props: { end: S["EndView"]; run: S["AttemptState"]; onDecided?: () => void }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { end, run } = props;
  const [why, setWhy] = useState("");
  if (end.acceptance === "lead-only") return <p className="faint">{t("measure.overLead")}</p>;
  if (end.acceptance !== "with-reason" && end.acceptance !== "may") return null;
  const accept = async () => {
    const done = await tell({
      endId: end.endId,
      attempt: run.no,
      kind: "accepted",
      body: { runId: run.runId, note: why },
    });
    if (done.ok) props.onDecided?.();
  };
  return (
    <div className="row middle above">
      <AutoComplete
        aria-label={t("measure.overWhy")}
        className="w-l"
        placeholder={t("measure.overWhy")}
        value={why}
        onChange={setWhy}
        maxLength={2000}
        options={["measuredTwice", "applicationHolds", "customerKnows"].map((w) => ({ value: t(`measure.${w}`) }))}
      />
      <Button disabled={!why.trim()} onClick={accept}>
        {t("measure.acceptOver")}
      </Button>
    </div>
  );
}
