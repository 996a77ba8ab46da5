import { App, Button } from "antd";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../../api/client";
import { useLedger } from "../../../offline/useLedger";

/** Accepts the connector; what is over its limit is accepted, or not, on the card of its decision. */
export function AcceptBar(props: { end: S["EndView"]; attempt: S["AttemptState"]; children: ReactNode }) {
  const { end, attempt } = props;
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const accept = async () => {
    const body = { runId: attempt.runId, note: null };
    const done = await tell({ endId: end.endId, attempt: attempt.no, kind: "accepted", body });
    if (done.ok) message.success(t("measure.accepted"));
  };
  return (
    <div className="row">
      {props.children}
      {end.state.status !== "needs-decision" && (
        <Button size="large" disabled={end.acceptance !== "may"} onClick={accept}>
          {t("measure.accept")}
        </Button>
      )}
      {!end.shardsCounted && <Link to={`/bench/${end.jobId}/${end.placeId}`}>{t("bench.countFirst")}</Link>}
    </div>
  );
}
