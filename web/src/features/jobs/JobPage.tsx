import { useQueryClient } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";
import { api, http, stale } from "../../api/client";
import { strandIn, useAssignments, useJob, useLoom, usePeoplePages, useSession, useToday } from "../../api/hooks";
import { JobSteps } from "../../domain/JobSteps";
import { Loom } from "../../domain/Loom";
import { PaceText } from "../../domain/PaceText";
import { placesOf } from "../../domain/places";
import { Await, Nothing, useFault } from "../../ui/Parts";
import { dayText, useLength } from "../../ui/settings";
import { JobLog } from "./JobLog";

/** A job at a glance: every panel as a small loom. */
export default function JobPage() {
  const { t } = useTranslation();
  const { jobId } = useParams();
  const job = useJob(jobId);
  const loom = useLoom(jobId);
  const length = useLength();
  const role = useSession().data?.person?.role;
  const outlook = useToday().data?.jobs.find((j) => j.job.jobId === jobId)?.outlook;
  // Who works here is told which strands may run out of slack.
  const kit = api.useQuery(
    "get",
    "/api/jobs/{jobId}/kit",
    { params: { path: { jobId: jobId ?? "" } } },
    { enabled: !!jobId && !!role && role !== "viewer" },
  );
  const risks = new Map((kit.data?.risks ?? []).map((r) => [r.endId, r.risk]));
  const given = useAssignments(role && role !== "viewer" ? jobId : undefined);
  const navigate = useNavigate();
  const open = (endId: string) => navigate(`/handover/${endId}`);
  return (
    <Await of={job}>
      {(d) => (
        <>
          <h1 className="clip">
            {d.job.number && `${d.job.number} · `}
            {d.job.customer} <span className="faint">· {d.job.site}</span>
          </h1>
          <p className="row">
            <span>
              {[t("today.due", { date: dayText(d.job.dueOn) }), d.job.crewName, d.job.limitSetId]
                .filter(Boolean)
                .join(" · ")}
            </span>
            {d.mayPlan && <Link to={`/plan/${jobId}`}>{t("jobs.openPlan")}</Link>}
            <Link to={`/handover?jobId=${jobId}`}>{t("jobs.openRecords")}</Link>
            {d.mayPlan && <Link to={`/handover/job/${jobId}`}>{t("handover.openHandOver")}</Link>}
            {d.mayPlan && <Link to={`/jobs/${jobId}/day`}>{t("jobs.openDay")}</Link>}
            {role !== "viewer" && <Link to={`/measure/folder/${jobId}`}>{t("folder.title")}</Link>}
          </p>
          <JobSteps job={d.job} />
          {outlook && <PaceText outlook={outlook} dueOn={d.job.dueOn} />}
          {placesOf(d).length > 2 && (
            <nav className="row noprint below" aria-label={t("jobs.jump")}>
              {placesOf(d).map((p) => (
                <a key={p.placeId} href={`#place-${p.placeId}`}>
                  {p.label}
                </a>
              ))}
            </nav>
          )}
          <Await of={loom}>
            {(l) =>
              placesOf(d).length === 0 ? (
                <Nothing text={t("jobs.noEnds")} />
              ) : (
                placesOf(d).map((p) => {
                  const ends = l.ends.filter((e) => e.placeId === p.placeId);
                  const works = given.data?.filter((g) => g.placeId === p.placeId && g.stillHeld > 0) ?? [];
                  return (
                    <section className="card" key={p.placeId} id={`place-${p.placeId}`}>
                      <div className="row between">
                        <h2>
                          {p.jumper ? t("jobs.jumper") : p.name}{" "}
                          <span className="faint">
                            {p.label} ·{" "}
                            {p.jumper ? length(p.jumper.orderedLengthMm ?? 0) : t("jobs.ports", { count: p.ports })}
                          </span>
                        </h2>
                        {role !== "viewer" && (
                          <Link to={`/bench/${jobId}/${p.placeId}`}>
                            <Button>{t("rail.bench")}</Button>
                          </Link>
                        )}
                      </div>
                      {works.length > 0 && (
                        <p className="faint">
                          {t("jobs.worksHere")}{" "}
                          {works.map((g) => `${g.personName ?? g.crewName} (${g.stillHeld})`).join(", ")}
                        </p>
                      )}
                      {ends.length === 0 ? (
                        <p className="faint">{t("jobs.noEnds")}</p>
                      ) : (
                        <Loom
                          ends={ends}
                          strandOf={(e) => strandIn(l, e.endId)}
                          onSelect={open}
                          height={230}
                          risks={risks}
                          label={`${t("bench.loomLabel")}, ${p.label}`}
                        />
                      )}
                    </section>
                  );
                })
              )
            }
          </Await>
          <JobLog job={d.job} role={role} />
          {role === "office" && <ViewersOf jobId={d.job.jobId} />}
        </>
      )}
    </Await>
  );
}

function ViewersOf({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState("");
  const people = usePeoplePages({ role: "viewer", find: useDeferredValue(typed.trim()) || undefined });
  const named = api.useQuery("get", "/api/jobs/{jobId}/viewers", { params: { path: { jobId } } });
  const client = useQueryClient();
  const fault = useFault();
  return (
    <section className="card">
      <h2>{t("jobs.viewers")}</h2>
      <p className="faint">{t("jobs.viewersText")}</p>
      <Select
        aria-label={t("jobs.viewers")}
        mode="multiple"
        className="w-full"
        value={named.data?.personIds}
        showSearch={{ filterOption: false, onSearch: setTyped }}
        onPopupScroll={() => people.hasNextPage && people.fetchNextPage()}
        options={(people.data?.pages.flat() ?? []).map((p) => ({ value: p.personId, label: p.name }))}
        onChange={(personIds) =>
          http
            .PUT("/api/jobs/{jobId}/viewers", { params: { path: { jobId } }, body: { personIds } })
            .then(() => stale(client, "/api/jobs/{jobId}/viewers"))
            .catch(fault)
        }
      />
    </section>
  );
}
