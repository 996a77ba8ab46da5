import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Input, InputNumber, Segmented } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useParams, useSearchParams } from "react-router";
import { ApiError, api, http, query, type S, stale } from "../../api/client";
import { useJob } from "../../api/hooks";
import { placesOf } from "../../domain/places";
import { Await, Pick, useFault } from "../../ui/Parts";

const KINDS = ["port", "connector", "strand", "cable"] as const;

/** Labels of a job: what is on them, the sheet they go on, and how the first page will look. What is chosen stands in the address. */
export default function JobLabels() {
  const { t } = useTranslation();
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  const sheets = api.useQuery("get", "/api/labels/sheets");
  return (
    <Await of={job}>
      {(d) => (
        <>
          <h1 className="clip">
            {t("labels.title")} <span className="faint">· {[d.job.customer, d.job.site].join(" · ")}</span>
          </h1>
          <p>
            <Link to={`/handover/job/${jobId}`}>{t("handOver.title")}</Link>
          </p>
          <Await of={sheets}>{(s) => <Choice job={d} known={s} />}</Await>
        </>
      )}
    </Await>
  );
}

function Choice({ job, known }: { job: S["JobDetail"]; known: S["LabelSheetsView"] }) {
  const { t } = useTranslation();
  const { jobId } = job.job;
  const [params, setParams] = useSearchParams();
  const set = (name: string) => (v: string | undefined) => {
    const next = new URLSearchParams(params);
    if (v) next.set(name, v);
    else next.delete(name);
    if (name === "kind") next.delete("template");
    setParams(next, { replace: true });
  };
  const kind = (params.get("kind") as (typeof KINDS)[number] | null) ?? "port";
  const sheet = known.sheets.find((s) => s.name === params.get("sheet")) ?? known.sheets[0];
  const asked = useDeferredValue(
    query({
      kind,
      sheet: sheet?.name,
      template: params.get("template"),
      start: params.get("start"),
      placeId: params.get("placeId"),
    }),
  );
  const count = api.useQuery(
    "get",
    "/api/jobs/{jobId}/labels",
    { params: { path: { jobId }, query: Object.fromEntries(new URLSearchParams(asked)) } },
    { retry: false, placeholderData: (before: S["LabelCount"] | undefined) => before },
  );
  const failed: unknown = count.error;
  const at = `/api/jobs/${jobId}/labels/file${asked}`;
  return (
    <>
      <section className="card" aria-label={t("labels.what")}>
        <Segmented
          aria-label={t("labels.what")}
          value={kind}
          options={KINDS.map((value) => ({ value, label: t(`labels.${value}`) }))}
          onChange={(v) => set("kind")(v)}
        />
        <div className="row above">
          <div className="pick">
            <div className="faint">{t("labels.template")}</div>
            <Input.TextArea
              key={kind}
              aria-label={t("labels.template")}
              className="w-l address"
              rows={3}
              maxLength={200}
              defaultValue={params.get("template") ?? known.templates[kind]}
              onChange={(e) =>
                set("template")(e.target.value.trim() === known.templates[kind] ? undefined : e.target.value)
              }
            />
            <div className="faint small">
              {t("labels.fields", { fields: known.fields.map((f) => `{${f}}`).join(" ") })}
            </div>
          </div>
          <Pick
            label={t("labels.sheet")}
            value={sheet?.name}
            options={known.sheets.map((s) => ({ value: s.name, label: s.name }))}
            onChange={set("sheet")}
            room="l"
          />
          <Pick
            label={t("labels.place")}
            value={params.get("placeId") ?? undefined}
            options={placesOf(job).map((p) => ({ value: p.placeId, label: p.label }))}
            onChange={set("placeId")}
            allowClear
            room="m"
          />
          {sheet && sheet.rows > 0 && (
            <div className="pick">
              <div className="faint">{t("labels.start")}</div>
              <InputNumber
                aria-label={t("labels.start")}
                className="w-xs"
                min={1}
                max={sheet.rows * sheet.columns}
                precision={0}
                value={Number(params.get("start") ?? 1)}
                onChange={(v) => set("start")(v && v > 1 ? String(v) : undefined)}
              />
            </div>
          )}
        </div>
        {failed ? (
          <Alert
            className="above"
            type="warning"
            showIcon
            title={
              failed instanceof ApiError
                ? failed.problem.refusals.map((r) => r.message).join(" ") || failed.message
                : t("app.noSignalText")
            }
          />
        ) : (
          count.data && (
            <>
              <p>{t("labels.count", { count: count.data.labels, pages: count.data.pages })}</p>
              <p className="row">
                <a className="files-link" href={`${at}&format=pdf`} download>
                  {t("labels.pdf")}
                </a>
                <a className="files-link" href={`${at}&format=svg`} download="labels.svg">
                  {t("labels.svg")}
                </a>
                <a className="files-link" href={`/api/labels/test${query({ sheet: sheet?.name })}`} download>
                  {t("labels.test")}
                </a>
              </p>
              <p className="faint">{t("labels.scale")}</p>
              {count.data.labels > 0 && (
                <img
                  className="label-page"
                  src={`${at}&format=svg`}
                  alt={t("labels.preview", { first: count.data.example.join(", ") })}
                />
              )}
            </>
          )
        )}
      </section>
      <Sheets key={sheet?.name} known={known} sheet={sheet} onNamed={set("sheet")} />
    </>
  );
}

const SIZES = [
  "pageWidthMm",
  "pageHeightMm",
  "columns",
  "rows",
  "labelWidthMm",
  "labelHeightMm",
  "marginLeftMm",
  "marginTopMm",
  "gapXMm",
  "gapYMm",
] as const;

/** The sheet that is chosen, to be edited, copied under another name, or taken out. */
function Sheets(props: {
  known: S["LabelSheetsView"];
  sheet?: S["LabelSheet"];
  onNamed: (name: string | undefined) => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const [draft, setDraft] = useState(props.sheet);
  if (!props.sheet || !draft) return null;
  const others = props.known.sheets.filter((s) => s.name !== props.sheet?.name);
  const save = async (sheets: S["LabelSheet"][], shown: string | undefined) => {
    try {
      await http.PUT("/api/labels/sheets", { body: { sheets } });
      await stale(client, "/api/labels/sheets", "/api/jobs/{jobId}/labels");
      props.onNamed(shown);
    } catch (e) {
      fault(e);
    }
  };
  return (
    <details className="card">
      <summary>
        <b>{t("labels.editSheet")}</b>
      </summary>
      <p className="faint">{t("labels.editText")}</p>
      <div className="row">
        <label className="small">
          {t("labels.name")}
          <Input
            className="w-l"
            maxLength={60}
            value={draft.name}
            onChange={(e) => setDraft({ ...draft, name: e.target.value })}
          />
        </label>
        {SIZES.map((k) => (
          <label key={k} className="small">
            {t(`labels.${k}`)}
            <InputNumber
              className="w-s"
              min={0}
              value={draft[k]}
              onChange={(v) => typeof v === "number" && setDraft({ ...draft, [k]: v })}
            />
          </label>
        ))}
      </div>
      <div className="row above">
        <Button type="primary" onClick={() => save([draft, ...others], draft.name)}>
          {t("app.save")}
        </Button>
        <Button
          disabled={props.known.sheets.some((s) => s.name === draft.name.trim())}
          onClick={() => save([...props.known.sheets, draft], draft.name)}
        >
          {t("labels.saveAs")}
        </Button>
        <Button disabled={others.length === 0} onClick={() => save(others, undefined)}>
          {t("app.remove")}
        </Button>
      </div>
    </details>
  );
}
