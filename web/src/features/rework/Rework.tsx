import { useQueryClient } from "@tanstack/react-query";
import { Button, InputNumber, Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useSearchParams } from "react-router";
import { answered, api, http, type S } from "../../api/client";
import { useAtHand, useEnds, usePeoplePages, useSession, useToday } from "../../api/hooks";
import { actText } from "../../domain/Ailment";
import { WaitingText } from "../../domain/DecisionCard";
import { Decisions } from "../../domain/Decisions";
import { StatusMark } from "../../domain/Verdict";
import { Await, useFault } from "../../ui/Parts";
import { dayText, siteTime, useLength } from "../../ui/settings";
import { CauseShares } from "./CauseShares";

/** What has to be worked again over all jobs: what many have in common first, then by visit; and what the last minutes of a job are best spent on. */
export default function Rework() {
  const { t } = useTranslation();
  const today = useToday();
  const short = useEnds({ nearlyOut: true, limit: 500 });
  const queue = api.useQuery("get", "/api/rework");
  return (
    <>
      <h1>{t("rework.title")}</h1>
      <Await of={queue}>{(q) => <Shared of={q} />}</Await>
      <Await of={today}>{(now) => <Decisions waiting={now.waiting} />}</Await>
      <section className="card">
        <h2>{t("rework.visits")}</h2>
        <Await of={queue}>{(q) => <Visits of={q} />}</Await>
      </section>
      <div className="cols">
        <section className="card">
          <h2>{t("rework.slack")}</h2>
          <Await of={short}>{(l) => <Ends list={l} />}</Await>
        </section>
        <LastMinutes />
      </div>
      <CauseShares />
    </>
  );
}

/** What many ends have in common, before anyone cuts the first of them. */
function Shared({ of }: { of: S["ReworkQueue"] }) {
  const { t } = useTranslation();
  if (of.oneCauses.length + of.trails.length + of.marks.length === 0) return null;
  return (
    <section className="card" aria-label={t("rework.shared")}>
      <h2>{t("rework.shared")}</h2>
      <ul className="list">
        {of.oneCauses.map(({ cause, name, ends }) => (
          <li key={`${cause.thing}${cause.key}`}>
            <b>
              {t(`rework.thing.${cause.thing}`, {
                bad: cause.bad,
                all: cause.all,
                name: cause.thing === "reference" ? siteTime(cause.key.split(" ")[0] ?? "") : name,
                elsewhere: cause.elsewhereBad,
                others: cause.elsewhereAll,
              })}
            </b>{" "}
            {t(`rework.act.${cause.act}`)}
            <Addressed list={ends} />
          </li>
        ))}
        {of.trails.map((trail) => (
          <li key={`${trail.from.endId}${trail.wavelengthNm}`}>
            <b>
              {t("rework.trail", {
                from: trail.from.address,
                to: trail.to.map((e) => e.address).join(", "),
                more: trail.moreDb.toFixed(2),
                nm: trail.wavelengthNm,
              })}
            </b>{" "}
            {t("rework.trailAct", { count: trail.to.length + 1 })}
            <Addressed list={[trail.from, ...trail.to]} />
          </li>
        ))}
        {of.marks.map((m) => (
          <li key={`${m.mark.kind}${m.ends[0]?.endId}`}>
            <b>
              {t(`rework.mark.${m.mark.kind}`, {
                count: m.ends.length,
                of: m.mark.of,
                x: Math.round(Number(m.mark.xPx ?? 0)),
                y: Math.round(Number(m.mark.yPx ?? 0)),
                radius: Math.round(Number(m.mark.radiusUm ?? 0)),
              })}
            </b>{" "}
            {t(`rework.markAct.${m.mark.kind}`)}
            <Addressed list={m.ends} />
          </li>
        ))}
      </ul>
      <p className="faint">{t("rework.sharedHow", { count: of.looked })}</p>
    </section>
  );
}

const Addressed = ({ list }: { list: S["AddressedEnd"][] }) => (
  <div className="row">
    {list.slice(0, 30).map((e) => (
      <Link key={e.endId} to={`/handover/${e.endId}`}>
        {e.address}
      </Link>
    ))}
  </div>
);

/** One way to one room with one set of tools cures all that is listed there. */
function Visits({ of }: { of: S["ReworkQueue"] }) {
  const { t } = useTranslation();
  const length = useLength();
  if (of.visits.length === 0) return <p>{t("rework.none")}</p>;
  return (
    <>
      <ul className="list">
        {of.visits.map((v) => (
          <li key={`${v.jobId}${v.spaceName}${v.method}${v.crewId}`}>
            <div className="row middle">
              <b>{[v.spaceName, t(`method.${v.method}`)].filter(Boolean).join(" · ")}</b>
              <span>{t("rework.visit", { count: v.ends.length, minutes: Math.round(v.minutes) })}</span>
              <span className="faint">
                {[
                  v.customer,
                  v.site,
                  t("rework.due", { day: dayText(v.dueOn) }),
                  v.crewName,
                  v.nearName && t("rework.near", { name: v.nearName }),
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
              <Give visit={v} />
            </div>
            <ul className="list">
              {v.ends.map((e) => (
                <li key={e.endId}>
                  <div className="row">
                    <Link to={`/handover/${e.endId}`}>{e.address}</Link>
                    {e.why ? <WaitingText why={e.why} /> : <StatusMark status={e.status} verdict={e.verdict} />}
                  </div>
                  <span className="faint">
                    {[
                      e.next && t("ailment.next", { act: actText(t, e.next.act) }),
                      t("rework.minutes", { count: Math.round(e.minutes) }),
                      t("rework.left", { left: length(e.slackLeftMm) }),
                      e.personName,
                    ]
                      .filter(Boolean)
                      .join(" · ")}
                  </span>
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
      {of.more > 0 && <p className="faint">{t("rework.more", { count: of.more })}</p>}
    </>
  );
}

/** A visit is given to one person: they find it under Today, and work it at the bench like any run. */
function Give({ visit }: { visit: S["ReworkVisit"] }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const role = useSession().data?.person?.role;
  const plans = role === "lead" || role === "office";
  const [typed, setTyped] = useState("");
  const people = usePeoplePages({ find: useDeferredValue(typed.trim()) || undefined });
  const give = async (personId: string) => {
    try {
      await answered(
        http.POST("/api/jobs/{jobId}/assignments", {
          params: { path: { jobId: visit.jobId } },
          body: { crewId: visit.crewId, personId, endIds: visit.ends.map((e) => e.endId) } as never,
        }),
      );
      await client.invalidateQueries();
    } catch (e) {
      fault(e);
    }
  };
  if (!plans) return null;
  return (
    <Select
      className="w-m"
      showSearch={{ filterOption: false, onSearch: setTyped }}
      aria-label={t("rework.giveOf", { what: `${visit.spaceName} ${t(`method.${visit.method}`)}` })}
      placeholder={t("rework.give")}
      value={null}
      onChange={(v: string | null) => v && give(v)}
      options={(people.data?.pages.flat() ?? [])
        .filter((p) => p.crewId === visit.crewId)
        .map((p) => ({ value: p.personId, label: p.name }))}
    />
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

/** Before the key is given back: accepted ends that are weak, the best use of the minutes first. */
function LastMinutes() {
  const { t } = useTranslation();
  const [query, setQuery] = useSearchParams();
  const jobs = useAtHand();
  const [minutes, setMinutes] = useState(40);
  const jobId = query.get("job") ?? undefined;
  const of = api.useQuery(
    "get",
    "/api/jobs/{jobId}/weak-ends",
    { params: { path: { jobId: jobId ?? "" }, query: { minutes } } },
    { enabled: !!jobId, placeholderData: (b: S["WeakEndsView"] | undefined) => b },
  );
  return (
    <section className="card">
      <h2>{t("rework.last")}</h2>
      <div className="row middle below">
        <Select
          className="w-l"
          aria-label={t("rework.lastJob")}
          placeholder={t("rework.lastJob")}
          value={jobId}
          onChange={(v) => setQuery({ job: v })}
          options={(jobs.data ?? []).map((j) => ({
            value: j.jobId,
            label: [j.number, j.site].filter(Boolean).join(" · "),
          }))}
        />
        <InputNumber
          className="w-xs"
          aria-label={t("rework.lastMinutes")}
          min={1}
          max={600}
          value={minutes}
          onChange={(v) => v && setMinutes(v)}
        />
        <span className="faint">{t("rework.lastMinutes")}</span>
      </div>
      {!jobId ? (
        <p className="faint">{t("rework.lastHow")}</p>
      ) : (
        <Await of={of}>
          {(w) => {
            const fit = w.ends.filter((e) => e.weak.inTime);
            return w.ends.length === 0 ? (
              <p>{t("rework.noWeak", { count: w.accepted })}</p>
            ) : (
              <>
                <p className="said">
                  {t("rework.lastSaid", { count: fit.length, weak: w.ends.length + w.more, minutes: w.minutes })}
                </p>
                <ul className="list">
                  {w.ends.map(({ address, weak }) => (
                    <li key={weak.endId} className={weak.inTime ? "" : "faint"}>
                      <div className="row">
                        <Link to={`/handover/${weak.endId}`}>{address}</Link>
                        <span>{weak.why.map((y) => t(`weak.${y}`)).join(", ")}</span>
                      </div>
                      <span className="faint">
                        {[
                          t("rework.callBack", { chance: (weak.chance * 100).toFixed(0) }),
                          t("rework.minutes", { count: weak.minutes }),
                          weak.marginDb !== null && t("rework.margin", { margin: Number(weak.marginDb).toFixed(2) }),
                        ]
                          .filter(Boolean)
                          .join(" · ")}
                      </span>
                    </li>
                  ))}
                </ul>
                <p className="faint">{t("rework.lastJudged")}</p>
                <Button onClick={() => window.print()}>{t("app.print")}</Button>
              </>
            );
          }}
        </Await>
      )}
    </section>
  );
}
