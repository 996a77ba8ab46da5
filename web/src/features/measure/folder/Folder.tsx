import { App, Button, Input, InputNumber, Select, Upload } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";
import { ApiError, answered, http, query, type S } from "../../../api/client";
import { useEnds, useJob, usePlace } from "../../../api/hooks";
import { useLedger } from "../../../offline/useLedger";
import { Await, Grid, useFault } from "../../../ui/Parts";
import { dB } from "../../../ui/settings";
import { bringPicture, bringTrace, type Given } from "./bringIn";

type Row = { key: number; file: File; text?: string; match: S["FolderMatch"]; endId: string | null; said: boolean };
type Came = { given?: Given; recorded?: boolean; fault?: string };

/** As much of a table as the server takes; what is larger is no meter's. */
const LARGEST_TABLE = 1024 * 1024;
const isTable = (name: string) => /\.(csv|txt|tsv)$/i.test(name);

/** A folder of an instrument: names out, files back, each shown with whose it is before anything of it counts. */
export default function Folder() {
  const { t } = useTranslation();
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  const fault = useFault();
  const tell = useLedger();
  const { message } = App.useApp();
  const [template, setTemplate] = useState("");
  const [within, setWithin] = useState<number | null>(5);
  const [launchM, setLaunch] = useState<number | null>(() => Number(localStorage.getItem("rhabdon.launchM") || 0));
  const [rows, setRows] = useState<Row[]>([]);
  const [came, setCame] = useState<Record<number, Came>>({});
  const [busy, setBusy] = useState(false);
  const named = { template: template.trim() || undefined };
  const match = async (files: File[]) => {
    setBusy(true);
    try {
      const texts = await Promise.all(
        files.map((f) => (isTable(f.name) && f.size <= LARGEST_TABLE ? f.text() : undefined)),
      );
      const answer = await answered(
        http.POST("/api/jobs/{jobId}/folder/check", {
          params: { path: { jobId } },
          body: {
            ...named,
            withinMinutes: within ?? undefined,
            files: files.map((f, i) => ({
              name: f.name,
              takenAt: new Date(f.lastModified).toISOString(),
              text: texts[i],
            })),
          },
        }),
      );
      setCame({});
      setRows(
        answer.files.map((m, i) => ({
          key: i,
          file: files[i] as File,
          text: texts[i],
          match: m,
          endId: m.endId,
          said: false,
        })),
      );
    } catch (e) {
      fault(e);
    }
    setBusy(false);
  };
  const ready = rows.filter(
    (r) => r.endId && !came[r.key]?.given && (r.match.kind === "trace" || r.match.kind === "picture"),
  );
  const bring = async () => {
    setBusy(true);
    for (const r of ready) {
      const endId = r.endId as string;
      const next: Came = await (r.match.kind === "trace"
        ? bringTrace(endId, r.file, launchM ?? 0)
        : bringPicture(endId, r.file)
      )
        .then((given) => ({ given }))
        .catch((e: unknown) => ({ fault: e instanceof ApiError ? e.problem.title : String(e) }));
      setCame((old) => ({ ...old, [r.key]: next }));
    }
    setBusy(false);
  };
  const seen = rows.flatMap((r) => {
    const told = came[r.key]?.recorded ? null : came[r.key]?.given?.told;
    return told ? [{ key: r.key, told }] : [];
  });
  const record = async () => {
    setBusy(true);
    const done = await tell(...seen.map((s) => s.told));
    if (done.ok) {
      setCame((old) => ({
        ...old,
        ...Object.fromEntries(seen.map((s) => [s.key, { ...old[s.key], recorded: true }])),
      }));
      message.success(t("folder.recordedAll", { count: seen.length }));
    }
    setBusy(false);
  };
  return (
    <Await of={job}>
      {(d) => (
        <>
          <h1 className="clip">
            {t("folder.title")} <span className="faint">· {[d.job.customer, d.job.site].join(" · ")}</span>
          </h1>
          <section className="card" aria-label={t("folder.out")}>
            <h2>{t("folder.out")}</h2>
            <p className="faint">{t("folder.outText")}</p>
            <p className="row">
              <Input
                aria-label={t("folder.template")}
                className="w-l"
                placeholder="{space}-{panel}-{port}"
                maxLength={200}
                value={template}
                onChange={(e) => setTemplate(e.target.value)}
              />
              {(["csv", "xlsx"] as const).map((format) => (
                <a
                  key={format}
                  href={`/api/jobs/${jobId}/folder/names${query({ ...named, format })}`}
                  download={`ports.${format}`}
                >
                  {t("day.file", { format: format.toUpperCase() })}
                </a>
              ))}
            </p>
          </section>
          <section className="card" aria-label={t("folder.back")}>
            <h2>{t("folder.back")}</h2>
            <p className="faint">{t("folder.backText")}</p>
            <p className="row below">
              <label className="row">
                {t("folder.launch")}
                <InputNumber className="w-s" min={0} max={10_000} value={launchM} onChange={setLaunch} />
              </label>
              <label className="row">
                {t("folder.within")}
                <InputNumber className="w-s" min={0} max={240} value={within} onChange={setWithin} />
              </label>
            </p>
            <Upload.Dragger
              multiple
              showUploadList={false}
              disabled={busy}
              beforeUpload={(file, all) => {
                // Called once for each: the last one hands all of them on.
                if (file === all.at(-1)) void match(all);
                return false;
              }}
            >
              <p>{t("folder.drop")}</p>
            </Upload.Dragger>
            <p className="above">
              <Upload
                directory
                showUploadList={false}
                disabled={busy}
                beforeUpload={(file, all) => {
                  if (file === all.at(-1)) void match(all);
                  return false;
                }}
              >
                <Button>{t("folder.folder")}</Button>
              </Upload>
            </p>
            {rows.length > 0 && (
              <>
                <Grid
                  rows={rows}
                  rowKey={(r) => String(r.key)}
                  columns={[
                    { title: t("folder.file"), render: (r) => r.match.name },
                    { title: t("folder.kind"), render: (r) => t(`folder.${r.match.kind}`) },
                    {
                      title: t("folder.whose"),
                      render: (r) =>
                        r.match.kind === "results" ? (
                          <Tables row={r} />
                        ) : r.match.kind === "other" ? null : (
                          <EndFind
                            jobId={jobId}
                            row={r}
                            disabled={!!came[r.key]?.given}
                            onChange={(endId) =>
                              setRows((old) => old.map((o) => (o.key === r.key ? { ...o, endId, said: true } : o)))
                            }
                          />
                        ),
                    },
                    {
                      title: t("folder.by"),
                      render: (r) =>
                        r.said
                          ? t("folder.bySaid")
                          : r.match.by === "name"
                            ? t("folder.byName")
                            : r.match.by === "time"
                              ? t("folder.byTime", { minutes: r.match.minutesApart })
                              : r.match.candidates.length > 0
                                ? t("folder.candidates", { list: r.match.candidates.join(", ") })
                                : r.match.kind === "trace" || r.match.kind === "picture"
                                  ? t("folder.unknown")
                                  : "",
                    },
                    { title: t("folder.read"), render: (r) => <What came={came[r.key]} kind={r.match.kind} /> },
                  ]}
                />
                <p className="row above">
                  <Button type="primary" loading={busy} disabled={ready.length === 0} onClick={() => void bring()}>
                    {t("folder.bring", { count: ready.length })}
                  </Button>
                  {seen.length > 0 && (
                    <Button type="primary" loading={busy} onClick={() => void record()}>
                      {t("folder.record", { count: seen.length })}
                    </Button>
                  )}
                </p>
              </>
            )}
          </section>
        </>
      )}
    </Await>
  );
}

/** What a file gave, and what is still to be done about it. */
function What({ came, kind }: { came?: Came; kind: S["FolderFileKind"] }) {
  const { t } = useTranslation();
  if (!came) return null;
  if (came.fault) return <span className="tone-bad">{came.fault}</span>;
  const g = came.given;
  if (!g) return null;
  return (
    <span>
      {g.lossDb !== undefined && t("folder.lossAt", { lossDb: dB(g.lossDb), distanceM: Math.round(g.distanceM ?? 0) })}
      {g.findings !== undefined && (
        <span className={g.pass ? "tone-good" : "tone-bad"}>
          {t(g.pass ? "look.pass" : "look.fail")}, {t("folder.findings", { count: g.findings })}
        </span>
      )}{" "}
      {came.recorded ? (
        <b>{t("folder.recorded")}</b>
      ) : g.told ? (
        t("folder.kept")
      ) : (
        <Link to={kind === "trace" ? `/measure/${g.endId}?how=trace` : `/look/${g.endId}`}>
          {t(kind === "trace" ? "folder.tieIt" : "folder.lookAtIt")}
        </Link>
      )}
    </span>
  );
}

/** Whose a file is; another end of the job by its label. */
function EndFind(props: { jobId: string; row: Row; disabled: boolean; onChange: (endId: string | null) => void }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState("");
  const find = useDeferredValue(typed.trim());
  const found = useEnds({ jobId: props.jobId, find, limit: 20 }, find.length > 0);
  const { match, endId } = props.row;
  const options = (found.data ?? []).map((e) => ({ value: e.endId, label: e.address }));
  if (match.endId && !options.some((o) => o.value === match.endId))
    options.unshift({ value: match.endId, label: match.address ?? "" });
  return (
    <Select
      aria-label={`${t("folder.ask")} ${match.name}`}
      className="w-m"
      allowClear
      disabled={props.disabled}
      placeholder={t("folder.ask")}
      value={endId ?? undefined}
      showSearch={{ filterOption: false, onSearch: setTyped }}
      options={options}
      onChange={(v?: string) => props.onChange(v ?? null)}
    />
  );
}

/** A meter's table goes to its panel, where each row is checked before it counts. */
function Tables({ row }: { row: Row }) {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const place = row.match.places[0];
  const panel = usePlace(place?.placeId);
  const first = panel.data?.ends[0];
  if (!place) return <span className="faint">{t("folder.unknown")}</span>;
  return (
    <Button
      size="small"
      disabled={!first || !row.text}
      onClick={() => {
        if (!first || !row.text) return;
        sessionStorage.setItem(`rhabdon.pasted.${place.placeId}`, row.text);
        void navigate(`/measure/${first.endId}?how=panel`);
      }}
    >
      {t("folder.openTable", { count: place.rows })}
    </Button>
  );
}
