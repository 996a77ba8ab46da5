import { useQueryClient } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { answered, http, type S, stale } from "../../api/client";
import { useContainersOff, useEnds, useQuarantine, useQuarantined, useToday } from "../../api/hooks";
import { ContainerOff } from "../../domain/ContainerOff";
import { Decisions } from "../../domain/Decisions";
import { StatusMark } from "../../domain/Verdict";
import { useLedger } from "../../offline/useLedger";
import { Await, useFault } from "../../ui/Parts";
import { siteTime, useLength } from "../../ui/settings";

/** What the lead must see tonight: failed ends, ends to remake, slack that runs out, entries the rules refused. */
export default function Rework() {
  const { t } = useTranslation();
  const today = useToday();
  const remake = useEnds({ status: "to-remake", limit: 500 });
  const short = useEnds({ nearlyOut: true, limit: 500 });
  const containers = useContainersOff();
  const tell = useLedger();
  const quarantine = useQuarantine(true);
  const client = useQueryClient();
  const fault = useFault();
  const { message } = App.useApp();
  const retry = async (q: S["Quarantined"]) => {
    try {
      const r = await answered(http.POST("/api/quarantine/{quarantineId}/retry", { params: { path: q } }));
      if (r.outcome === "quarantined") message.warning(t("rework.still", { reason: r.refusal?.message }));
      else message.success(t("rework.taken"));
      await client.invalidateQueries();
    } catch (e) {
      fault(e);
    }
  };
  const setAside = (q: S["Quarantined"]) =>
    http
      .POST("/api/quarantine/{quarantineId}/set-aside", { params: { path: q } })
      .then(() => stale(client, "/api/quarantine"))
      .catch(fault);
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
        <section className="card">
          <h2>{t("rework.shards")}</h2>
          <Await of={containers}>
            {(l) =>
              l.length === 0 ? (
                <p>{t("rework.none")}</p>
              ) : (
                <ul className="list">
                  {l.map((c) => (
                    <li key={c.batch.id}>
                      <div className="row">
                        <Link to={`/bench/${c.jobId}/${c.placeId}`}>{c.place}</Link>
                        <span className="faint">
                          {c.customer} · {c.crewName} · {t("bench.strandsIn", { count: c.ends })}
                        </span>
                      </div>
                      <ContainerOff
                        batch={c.batch}
                        say={async (drafts) => {
                          await tell(...drafts);
                          await stale(client, "/api/batches/off");
                        }}
                      />
                    </li>
                  ))}
                </ul>
              )
            }
          </Await>
        </section>
      </div>
      <section className="card">
        <h2>{t("rework.quarantine")}</h2>
        <p className="faint">{t("rework.quarantineText")}</p>
        <Await of={quarantine}>
          {(list) =>
            list.length === 0 ? (
              <p>{t("rework.none")}</p>
            ) : (
              <ul className="list">
                {list.map((q) => (
                  <li key={q.quarantineId}>
                    <p>
                      <b>{q.reason}</b>{" "}
                      <span className="faint">
                        {t("rework.from", { name: q.senderName, time: siteTime(q.receivedAt, "UTC") })} UTC
                      </span>
                    </p>
                    <div className="row">
                      <Button onClick={() => retry(q)}>{t("rework.takeIn")}</Button>
                      <Button onClick={() => setAside(q)}>{t("rework.setAside")}</Button>
                      <AsItCame of={q} />
                    </div>
                  </li>
                ))}
              </ul>
            )
          }
        </Await>
      </section>
    </>
  );
}

/** What was refused, as it came: a list holds the beginning, the rest is asked for when somebody opens it. */
function AsItCame({ of }: { of: S["Quarantined"] }) {
  const [open, setOpen] = useState(false);
  const whole = useQuarantined(of.quarantineId, open && of.rawLength > of.raw.length);
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>{of.code}</summary>
      <pre className="scroll">{whole.data?.raw ?? of.raw}</pre>
    </details>
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
