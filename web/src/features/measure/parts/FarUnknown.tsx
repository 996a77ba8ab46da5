import { Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { FarEndAsk, farUnsaid, ofFarEnd } from "../../../domain/FarEndAsk";
import { useLedger } from "../../../offline/useLedger";

/** Readings that wait because nobody knows what lay at the far end: they settle by themselves, or when somebody says it. */
export function FarUnknown({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const [said, say] = useState(farUnsaid);
  const { into, note } = ofFarEnd(said);
  const save = () =>
    tell({ endId: end.endId, attempt: attempt.no, kind: "far-end-said", body: { runId: attempt.runId, into, note } });
  return (
    <section className="card">
      <p className="tone-doubtful">
        <b>{t("farEnd.unknown", { far: end.farAddress ?? t("farEnd.other") })}</b>
      </p>
      <FarEndAsk value={said} onChange={say} asked />
      <Button disabled={!into} onClick={save}>
        {t("farEnd.say")}
      </Button>
    </section>
  );
}
