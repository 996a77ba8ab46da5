import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { AT_HAND, useAtHand, useEnds, useSession } from "../../api/hooks";
import { FirstSteps } from "../../domain/FirstSteps";
import { StatusMark } from "../../domain/Verdict";
import { Await, Nothing } from "../../ui/Parts";

/** What is due, and what waits for somebody to decide. */
export default function Today() {
  const { t } = useTranslation();
  const jobs = useAtHand();
  const waiting = useEnds({ status: "needs-decision", limit: 50 });
  const role = useSession().data?.person?.role;
  const plans = role === "lead" || role === "office";
  return (
    <>
      <h1>{t("today.title")}</h1>
      <Await of={jobs}>
        {(list) =>
          list.length === 0 && role === "office" ? (
            <FirstSteps />
          ) : list.length === 0 ? (
            <Nothing text={t(plans ? "today.noJobsLead" : "today.noJobs")}>
              {plans && (
                <Link to="/plan">
                  <Button type="primary">{t("today.newJob")}</Button>
                </Link>
              )}
              <p>
                <Link to="/jobs">{t("today.allJobs")}</Link>
              </p>
            </Nothing>
          ) : (
            <div className="cols">
              {list.map((j) => (
                <section className="card" key={j.jobId}>
                  <h2>
                    <Link to={`/jobs/${j.jobId}`}>{j.customer}</Link>
                  </h2>
                  <p>{[j.site, t("today.due", { date: j.dueOn }), j.crewName].filter(Boolean).join(" · ")}</p>
                  <div className="bar" aria-hidden="true">
                    <i style={{ width: `${j.ends ? (100 * j.accepted) / j.ends : 0}%` }} />
                  </div>
                  <p>
                    <b>{t("today.progress", { accepted: j.accepted, ends: j.ends })}</b>
                    {j.atBench > 0 && ` · ${j.atBench} ${t("today.atBench")}`}
                    {j.toRemake > 0 && ` · ${j.toRemake} ${t("today.toRemake")}`}
                    {j.needsDecision > 0 && ` · ${j.needsDecision} ${t("today.needsDecision")}`}
                  </p>
                  {role !== "viewer" && (
                    <Link to={`/bench/${j.jobId}`}>
                      <Button type="primary">{t("today.goBench")}</Button>
                    </Link>
                  )}
                </section>
              ))}
            </div>
          )
        }
      </Await>
      {jobs.data?.length === AT_HAND && <Link to="/jobs">{t("today.allJobs")}</Link>}
      <section className="card">
        <h2>{t("today.decisions")}</h2>
        <Await of={waiting}>
          {(list) =>
            list.length === 0 ? (
              <p className="faint">{t("today.nothingWaits")}</p>
            ) : (
              <ul className="list">
                {list.map((e) => (
                  <li key={e.endId} className="row">
                    <Link to={`/handover/${e.endId}`}>{e.address}</Link>
                    <span>{e.customer}</span>
                    <span>{t(`method.${e.method}`)}</span>
                    <StatusMark status={e.status} verdict={e.verdict} />
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
