import { App, Button, Input } from "antd";
import { type ReactNode, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../../api/client";
import { useLedger } from "../../../offline/useLedger";
import { dB } from "../../../ui/settings";

/** Accepts the connector; over its limit only a lead does, and says why. */
export function AcceptBar({
  end,
  attempt,
  children,
}: {
  end: S["EndView"];
  attempt: S["AttemptState"];
  children: ReactNode;
}) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const [why, setWhy] = useState("");
  const over = end.state.verdict === "marginal-over";
  const mayAccept = end.acceptance === "may" || end.acceptance === "with-reason";
  const accept = async () => {
    const body = { runId: attempt.runId, note: over ? why : null };
    const done = await tell({ endId: end.endId, attempt: attempt.no, kind: "accepted", body });
    if (done.ok) message.success(t("measure.accepted"));
  };
  return (
    <>
      {over && (
        <section className="card">
          <p className="tone-doubtful">
            <b>
              {attempt.losses
                .filter((l) => l.judgement.verdict === "marginal-over")
                .map((l) =>
                  t("measure.over", {
                    nm: l.judgement.wavelengthNm,
                    loss: dB(l.judgement.lossDb),
                    limit: dB(l.judgement.limit.limitDb),
                  }),
                )
                .join(" ")}
            </b>{" "}
            {t(end.acceptance === "lead-only" ? "measure.overLead" : "measure.overMay")}
          </p>
          {mayAccept && (
            <label>
              <div className="faint">{t("measure.overWhy")}</div>
              <Input.TextArea rows={2} maxLength={2000} value={why} onChange={(e) => setWhy(e.target.value)} />
            </label>
          )}
        </section>
      )}
      <div className="row">
        {children}
        <Button
          size="large"
          disabled={!mayAccept || (end.acceptance === "with-reason" && !why.trim())}
          onClick={accept}
        >
          {t(over ? "measure.acceptOver" : "measure.accept")}
        </Button>
        {!end.shardsCounted && <Link to={`/bench/${end.jobId}/${end.placeId}`}>{t("bench.countFirst")}</Link>}
      </div>
    </>
  );
}
