import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { useEnds, useToday } from "../../api/hooks";
import { Decisions } from "../../domain/Decisions";
import { StatusMark } from "../../domain/Verdict";
import { Await } from "../../ui/Parts";
import { useLength } from "../../ui/settings";

/** What the lead must see tonight: failed ends, ends to remake, slack that runs out, entries the rules refused. */
export default function Rework() {
  const { t } = useTranslation();
  const today = useToday();
  const remake = useEnds({ status: "to-remake", limit: 500 });
  const short = useEnds({ nearlyOut: true, limit: 500 });
  return (
    <>
      <h1>{t("rework.title")}</h1>
      <Await of={today}>{(now) => <Decisions waiting={now.waiting} />}</Await>
      <div className="cols">
        <section className="card">
          <h2>{t("rework.remake")}</h2>
          <Await of={remake}>{(l) => <Ends list={l} />}</Await>
        </section>
        <section className="card">
          <h2>{t("rework.slack")}</h2>
          <Await of={short}>{(l) => <Ends list={l} />}</Await>
        </section>
      </div>
    </>
  );
}

function Ends({ list }: { list: S["EndRow"][] }) {
  const { t } = useTranslation();
  const length = useLength();
  if (list.length === 0) return <p>{t("rework.none")}</p>;
  return (
    <ul className="list">
      {list.map((e) => (
        <li key={e.endId}>
          <div className="row">
            <Link to={`/handover/${e.endId}`}>{e.address}</Link>
            <StatusMark status={e.status} verdict={e.verdict} />
          </div>
          <span className="faint">
            {e.customer} · {t(`method.${e.method}`)} · {t("bench.attempt", { no: e.attempts })} ·{" "}
            {t("rework.left", { left: length(e.slackPlannedMm - e.slackUsedMm) })}
          </span>
        </li>
      ))}
    </ul>
  );
}
