import { Alert, App, Button, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useLedger } from "../offline/useLedger";
import { useLength, useWords } from "../ui/settings";
import { VerdictText } from "./VerdictText";

/** What to do with a finished connector that is not good enough: as Core offers it, the cheapest first. */
export function NextForFailed(props: {
  end: S["EndView"];
  attempt: S["AttemptState"];
  reasons: { value: string; label: string }[];
}) {
  const { t } = useTranslation();
  const words = useWords();
  const length = useLength();
  const tell = useLedger();
  const { message } = App.useApp();
  const [reason, setReason] = useState<string>();
  const [stepId, setStep] = useState<string>();
  const choices = props.end.rework;
  const base = { endId: props.end.endId, attempt: props.attempt.no };
  const runId = props.attempt.runId;
  const say = async (kind: S["EventKind"], body: object, words: string) => {
    const done = await tell({ ...base, kind, body: { runId, note: null, ...body } });
    if (done.ok) message.success(t(words));
  };
  const minutes = (c: S["ReworkChoice"]) => t("look.minutes", { count: c.minutes });
  const clean = choices.find((c) => c.kind === "clean");
  const backs = choices.filter((c) => c.kind === "back");
  const back = backs.find((c) => c.stepId === stepId);
  const cutOff = choices.find((c) => c.kind === "cut-off");
  const inspection = props.attempt.inspection;
  if (!clean || !cutOff) return null;
  return (
    <section className="card">
      <h2>{t("look.next")}</h2>
      {inspection && <VerdictText verdict={inspection.verdict} />}
      <div className="row">
        <Select
          aria-label={t("look.reason")}
          className="w-l"
          placeholder={t("look.reason")}
          value={reason}
          options={props.reasons}
          onChange={setReason}
        />
        <Button
          size="large"
          disabled={!reason || !clean.allowed}
          onClick={() => say("reworked", { reason, stepId: null }, "look.saved")}
        >
          {t("look.cleaned")} · {minutes(clean)}
        </Button>
        <Select
          aria-label={t("look.backTo")}
          className="w-xl"
          placeholder={t("look.backTo")}
          value={stepId}
          options={backs.map((c) => ({ value: c.stepId, label: `${words(c.act ?? "")} · ${minutes(c)}` }))}
          onChange={(id) => setStep(id ?? undefined)}
        />
        <Button
          size="large"
          disabled={!reason || !back?.allowed}
          onClick={() => say("reworked", { reason, stepId }, "look.saved")}
        >
          {t("look.backTo")}
        </Button>
        {cutOff.allowed && (
          <Button
            size="large"
            danger
            disabled={!reason}
            onClick={() => say("attempt-closed", { reason, cutOff: true }, "look.closed")}
          >
            {t("look.cutOff")} · {minutes(cutOff)} · {length(cutOff.slackMm)}
          </Button>
        )}
      </div>
      <p className="faint">{t("look.cutOffLeaves", { left: length(cutOff.leftMm) })}</p>
      {!cutOff.allowed && <p className="faint">{t("look.leadCuts")}</p>}
      {props.end.slack.cutOffsLeft < 1 && <Alert type="error" showIcon title={t("bench.outOfSlack")} />}
    </section>
  );
}
