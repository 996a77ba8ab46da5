import { Button, Input } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useSearchParams } from "react-router";
import type { S } from "../../api/client";
import { type EndFilter, useCrews, useEndPages, useJob, useSession } from "../../api/hooks";
import { JobPick } from "../../domain/JobPick";
import { placesOf } from "../../domain/places";
import { StatusMark } from "../../domain/Verdict";
import { DayField } from "../../ui/DayField";
import { Await, choices, Grid, Pick, useChoices } from "../../ui/Parts";
import type { Room } from "../../ui/room";
import { dB, siteDay, useLength } from "../../ui/settings";

/** All ends, of one panel, one job or all jobs, filtered. The filters stand in the address, so a view can be passed on. */
export default function Handover() {
  const { t } = useTranslation();
  const [params, setParams] = useSearchParams();
  const options = useChoices();
  const length = useLength();
  const seesCrews = useSession().data?.person?.role !== "viewer";
  const crews = useCrews(seesCrews);
  const jobId = params.get("jobId") ?? undefined;
  const job = useJob(jobId);
  // The server takes what it knows, and names what it does not.
  const ends = useEndPages(Object.fromEntries(params) as EndFilter);
  // On a phone the list comes first; what is asked for is always seen.
  const [open] = useState(
    () => window.innerWidth > 700 || [...params.keys()].some((k) => !["jobId", "placeId", "find"].includes(k)),
  );
  const set = (name: string) => (v: string | undefined) => {
    const next = new URLSearchParams(params);
    if (v) next.set(name, v);
    else next.delete(name);
    if (name === "jobId") {
      next.delete("placeId");
      if (!v && next.get("order") === "in-hand") next.delete("order");
    }
    setParams(next, { replace: true });
  };
  const pick = (name: string, label: string, list: { value: string; label: string }[], room: Room = "m") => (
    <Pick
      label={label}
      value={params.get(name) ?? undefined}
      options={list}
      onChange={set(name)}
      allowClear
      room={room}
    />
  );
  return (
    <>
      <div className="row between">
        <h1>{t("handover.title")}</h1>
        {jobId && job.data?.mayPlan && (
          <Link to={`/handover/job/${jobId}`}>
            <Button type="primary">{t("handover.openHandOver")}</Button>
          </Link>
        )}
      </div>
      <div className="row card">
        <JobPick label={t("handover.job")} value={jobId} onChange={set("jobId")} allowClear room="l" />
        {jobId &&
          pick(
            "placeId",
            t("handover.panel"),
            (job.data ? placesOf(job.data) : []).map((p) => ({ value: p.placeId, label: p.label })),
            "s",
          )}
        <Find value={params.get("find") ?? ""} onChange={set("find")} />
        <details className="filters" open={open}>
          <summary>{t("handover.filters")}</summary>
          <div className="row">
            {pick("form", t("handover.form"), options("form", choices.form), "s")}
            {pick("polish", t("handover.polish"), options("", choices.polish), "s")}
            {pick("mode", t("handover.mode"), options("mode", choices.mode))}
            {pick("method", t("handover.method"), options("method", choices.method))}
            {pick("verdict", t("handover.verdict"), options("verdict", choices.verdict))}
            {pick("status", t("handover.status"), options("status", choices.status))}
            {seesCrews &&
              pick(
                "crewId",
                t("handover.crew"),
                (crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name })),
                "m",
              )}
            {(["from", "to"] as const).map((name) => (
              <div key={name} className="pick">
                <div className="faint">{t(`handover.${name}`)}</div>
                <DayField
                  aria-label={t(`handover.${name}`)}
                  value={params.get(name)}
                  onChange={(d) => set(name)(d ?? undefined)}
                />
              </div>
            ))}
            {pick("order", t("handover.order"), [
              { value: "newest", label: t("handover.orderNewest") },
              ...(jobId ? [{ value: "in-hand", label: t("handover.orderInHand") }] : []),
            ])}
          </div>
        </details>
      </div>
      <Await of={ends}>
        {(pages) => (
          <div className="card">
            <Grid
              rowKey={(e) => e.endId}
              rows={pages.pages.flat()}
              empty={t("handover.none")}
              columns={[
                {
                  title: t("handover.end"),
                  render: (e) => (
                    <Link className="address" to={`/handover/${e.endId}`}>
                      {e.address}
                    </Link>
                  ),
                },
                { title: t("handover.cable"), render: (e) => `${e.cableCode} ${e.strand} ${e.side}` },
                { title: t("handover.status"), render: (e) => <StatusMark status={e.status} verdict={e.verdict} /> },
                { title: t("handover.verdict"), render: (e) => e.verdict !== "none" && t(`verdict.${e.verdict}`) },
                {
                  title: t("handover.loss"),
                  right: true,
                  render: (e) =>
                    e.lossDb !== null &&
                    e.limitDb !== null && (
                      <span title={t("handover.inHand", { db: dB(e.limitDb - e.lossDb), nm: e.wavelengthNm })}>
                        {dB(e.lossDb)} / {dB(e.limitDb)} dB
                      </span>
                    ),
                },
                {
                  title: t("handover.accepted"),
                  render: (e) => e.acceptedAt && siteDay(e.acceptedAt, e.timeZone),
                },
                ...(seesCrews ? [{ title: t("handover.madeBy"), render: (e: S["EndRow"]) => e.madeByName }] : []),
                {
                  title: t("handover.firstTime"),
                  render: (e) =>
                    e.firstTime !== null && t(e.firstTime ? "handover.firstTimeYes" : "handover.firstTimeNo"),
                },
                ...(seesCrews
                  ? [
                      {
                        title: t("handover.crew"),
                        render: (e: S["EndRow"]) => [e.crewName, e.personName].filter(Boolean).join(" · "),
                      },
                    ]
                  : []),
                { title: t("handover.form"), render: (e) => `${t(`form.${e.form}`)}/${e.polish}` },
                { title: t("handover.mode"), render: (e) => t(`mode.${e.mode}`) },
                { title: t("handover.method"), render: (e) => t(`method.${e.method}`) },
                { title: t("handover.attempts"), right: true, render: (e) => e.attempts },
                {
                  title: t("handover.slackLeft"),
                  right: true,
                  render: (e) => length(e.slackPlannedMm - e.slackUsedMm),
                },
              ]}
            />
            {ends.hasNextPage && (
              <Button className="above" onClick={() => ends.fetchNextPage()}>
                {t("app.more")}
              </Button>
            )}
          </div>
        )}
      </Await>
    </>
  );
}

/** What is typed is asked for when the typing stops. */
function Find({ value, onChange }: { value: string; onChange: (v: string | undefined) => void }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState(value);
  useEffect(() => {
    if (typed.trim() === value) return;
    const wait = setTimeout(() => onChange(typed.trim() || undefined), 350);
    return () => clearTimeout(wait);
  }, [typed, value, onChange]);
  return (
    <div className="pick">
      <div className="faint">{t("handover.find")}</div>
      <Input
        allowClear
        aria-label={t("handover.find")}
        className="w-m"
        maxLength={100}
        placeholder={t("handover.findHint")}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
      />
    </div>
  );
}
