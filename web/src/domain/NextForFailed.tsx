import { Alert, App, Button, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useSession, useTable } from "../api/hooks";
import { useLedger } from "../offline/useLedger";
import { useWords } from "../ui/settings";
import { VerdictText } from "./VerdictText";

/** What to do with a finished connector that is not good enough. */
export function NextForFailed(props: {
  end: S["EndView"];
  attempt: S["AttemptState"];
  reasons: { value: string; label: string }[];
}) {
  const { t } = useTranslation();
  const words = useWords();
  const tell = useLedger();
  const { message } = App.useApp();
  // Where this run can go back to is a matter of the schools that it was begun under.
  const table = useTable(props.attempt.procedureId, props.attempt.procedureVersion, props.attempt.schools);
  const [reason, setReason] = useState<string>();
  const [stepId, setStep] = useState<string>();
  const base = { endId: props.end.endId, attempt: props.attempt.no };
  const runId = props.attempt.runId;
  const say = async (kind: S["EventKind"], body: object, words: string) => {
    const done = await tell({ ...base, kind, body: { runId, note: null, ...body } });
    if (done.ok) message.success(t(words));
  };
  const inspection = props.attempt.inspection;
  const person = useSession().data?.person;
  // As the ledger has it: a connector that somebody else began is given up by the crew lead.
  const mayCut =
    person?.role !== "installer" || (props.attempt.startedBy === person.personId && !props.end.state.conflict);
  return (
    <section className="card">
      <h2>{t("look.next")}</h2>
      {inspection && <VerdictText verdict={inspection.verdict} />}
      <div className="row">
        <Select
          aria-label={t("look.reason")}
          style={{ width: 260 }}
          placeholder={t("look.reason")}
          value={reason}
          options={props.reasons}
          onChange={setReason}
        />
        <Button
          size="large"
          disabled={!reason}
          onClick={() => say("reworked", { reason, stepId: null, minutes: 1 }, "look.saved")}
        >
          {t("look.cleaned")}
        </Button>
        <Select
          aria-label={t("look.backTo")}
          style={{ width: 320 }}
          placeholder={t("look.backTo")}
          value={stepId}
          options={(table.data?.states ?? [])
            .filter((s) => s.phase === "finish")
            .map((s) => ({ value: s.id, label: words(s.act) }))}
          onChange={setStep}
        />
        <Button
          size="large"
          disabled={!reason || !stepId}
          onClick={() => say("reworked", { reason, stepId, minutes: 2 }, "look.saved")}
        >
          {t("look.backTo")}
        </Button>
        {mayCut && (
          <Button
            size="large"
            danger
            disabled={!reason}
            onClick={() => say("attempt-closed", { reason, cutOff: true }, "look.closed")}
          >
            {t("look.cutOff")}
          </Button>
        )}
      </div>
      {!mayCut && <p className="faint">{t("look.leadCuts")}</p>}
      {props.end.slack.cutOffsLeft < 1 && <Alert type="error" showIcon title={t("bench.outOfSlack")} />}
    </section>
  );
}
