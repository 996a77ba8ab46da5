import { useQueryClient } from "@tanstack/react-query";
import { Alert, Button, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, http, query, type S, stale, upload } from "../../api/client";
import { FilePick } from "../../ui/FilePick";
import { Grid, Pick, useFault } from "../../ui/Parts";
import { strandPaint } from "../../ui/theme";

type Mapping = Partial<Record<S["PlanColumn"], string>>;

/** A plan that another program wrote: looked at first, then written whole or not at all. */
export function PlanFile({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const fault = useFault();
  const columns = api.useQuery("get", "/api/plans/columns");
  const [file, setFile] = useState<Blob | null>(null);
  const [mapping, setMapping] = useState<Mapping | null>(null);
  const [seen, setSeen] = useState<S["PlanPreview"] | null>(null);
  const [busy, setBusy] = useState(false);
  const bring = async (from: Blob, by: Mapping | null, write = false) => {
    setBusy(true);
    try {
      const path = `/api/jobs/${jobId}/plan/file${query({ mapping: by ? JSON.stringify(by) : undefined, write: write ? "true" : undefined })}`;
      const answer = await upload<S["PlanPreview"]>(path, from);
      setSeen(answer);
      setMapping(answer.mapping as Mapping);
      if (answer.written) await client.invalidateQueries();
    } catch (e) {
      setSeen(null);
      fault(e);
    }
    setBusy(false);
  };
  const map = (column: S["PlanColumn"], heading: string | undefined) => {
    const next = { ...mapping };
    if (heading) next[column] = heading;
    else delete next[column];
    setMapping(next);
    if (file) void bring(file, next);
  };
  const writes = seen && !seen.written && seen.unmapped.length === 0 && seen.faults.length === 0;
  const nothing = writes && seen.added + seen.changed === 0 && seen.panels.every((p) => p.kind === "same");
  return (
    <details className="card" aria-label={t("planFile.title")}>
      <summary>
        <b>{t("planFile.title")}</b>
      </summary>
      <p className="faint">{t("planFile.text")}</p>
      <div className="row">
        <FilePick
          label={t("planFile.pick")}
          accept=".csv,.txt,.xlsx"
          first={!seen}
          busy={busy}
          onFile={(f) => {
            setFile(f);
            void bring(f, mapping);
          }}
        />
        <a className="files-link" href="/api/plans/template?format=xlsx" download>
          {t("planFile.template")}
        </a>
        <a className="files-link" href="/api/plans/template?format=csv" download>
          {t("planFile.templateCsv")}
        </a>
      </div>
      {seen && (
        <>
          <Columns
            seen={seen}
            mapping={mapping ?? {}}
            known={columns.data}
            onMap={map}
            onTake={(m) => {
              setMapping(m);
              if (file) void bring(file, m);
            }}
            onKeep={(name) =>
              http
                .PUT("/api/plans/mappings/{name}", {
                  params: { path: { name } },
                  body: { mapping: (mapping ?? {}) as never },
                })
                .then(() => stale(client, "/api/plans/columns"))
                .catch(fault)
            }
          />
          {seen.faults.length > 0 && (
            <>
              <Alert type="error" showIcon title={t("planFile.faults", { count: seen.faults.length })} />
              <Grid
                rowKey={(f) => `${f.cell}${f.why.code}`}
                rows={seen.faults}
                columns={[
                  { title: t("planFile.cell"), render: (f) => <b>{f.cell}</b> },
                  { title: t("planFile.heading"), render: (f) => f.heading },
                  { title: t("planFile.why"), render: (f) => <span className="long">{f.why.message}</span> },
                ]}
              />
            </>
          )}
          {seen.unmapped.length === 0 && seen.faults.length === 0 && (
            <>
              <p className={seen.written ? "whole" : "big"} role="status">
                {t(seen.written ? "planFile.written" : "planFile.would", {
                  added: seen.added,
                  changed: seen.changed,
                  same: seen.same,
                })}{" "}
                {seen.left > 0 && t("planFile.left", { count: seen.left })}
              </p>
              {seen.noProcedure > 0 && (
                <p className="tone-doubtful">{t("planFile.noProcedure", { count: seen.noProcedure })}</p>
              )}
              {writes && (
                <Button
                  type="primary"
                  size="large"
                  loading={busy}
                  disabled={nothing === true}
                  onClick={() => file && bring(file, mapping, true)}
                >
                  {t(nothing ? "planFile.nothing" : "planFile.write")}
                </Button>
              )}
              {seen.panels.map((p) => (
                <Drawn key={`${p.spaceCode}-${p.code}`} panel={p} />
              ))}
            </>
          )}
        </>
      )}
    </details>
  );
}

/** Which heading is which column; kept under the name of who writes such files. */
function Columns(props: {
  seen: S["PlanPreview"];
  mapping: Mapping;
  known?: S["PlanColumnsView"];
  onMap: (column: S["PlanColumn"], heading: string | undefined) => void;
  onTake: (mapping: Mapping) => void;
  onKeep: (name: string) => unknown;
}) {
  const { t } = useTranslation();
  const [name, setName] = useState("");
  const { seen, mapping, known } = props;
  // What was opened to say which heading is which stays open, to keep it under a name.
  const [open] = useState(seen.unmapped.length > 0);
  return (
    <details open={open || seen.unmapped.length > 0}>
      <summary>{t("planFile.columns", { count: Object.keys(mapping).length, rows: seen.rows })}</summary>
      {seen.unmapped.length > 0 && <p className="tone-doubtful">{t("planFile.unmapped")}</p>}
      {(known?.mappings.length ?? 0) > 0 && (
        <Pick
          label={t("planFile.kept")}
          room="l"
          options={(known?.mappings ?? []).map((m) => ({ value: m.name, label: m.name }))}
          onChange={(n) => props.onTake((known?.mappings.find((m) => m.name === n)?.mapping ?? {}) as Mapping)}
        />
      )}
      <div className="row">
        {(known?.columns ?? []).map((c) => (
          <Pick
            key={c.column}
            label={`${t(`planColumn.${c.column}`)}${c.needed ? " *" : ""}`}
            value={mapping[c.column]}
            options={seen.headings.filter(Boolean).map((h) => ({ value: h, label: h }))}
            onChange={(h) => props.onMap(c.column, h)}
            allowClear
          />
        ))}
      </div>
      <div className="row above">
        <Input
          className="w-m"
          aria-label={t("planFile.keepAs")}
          placeholder={t("planFile.keepAs")}
          maxLength={60}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button disabled={!name.trim()} onClick={() => props.onKeep(name.trim())}>
          {t("planFile.keep")}
        </Button>
      </div>
    </details>
  );
}

/** A panel as the file has it: each port that it names with its strand, what is new or otherwise with a mark. */
function Drawn({ panel }: { panel: S["PreviewPanel"] }) {
  const { t } = useTranslation();
  const at = new Map(panel.ends.map((e) => [`${e.port}`, e]));
  const step = 22;
  const across = Math.min(24, panel.ports);
  const rows = Math.ceil(panel.ports / across);
  return (
    <figure className="drawn">
      <figcaption>
        <b className="address">
          {panel.spaceCode}-{panel.code}
        </b>{" "}
        {panel.spaceName} · {t("planFile.named", { named: at.size, ports: panel.ports })}
        {panel.kind !== "same" && <> · {t(`merge.${panel.kind}`)}</>}
      </figcaption>
      <svg
        viewBox={`0 0 ${across * step} ${rows * 34}`}
        style={{ maxWidth: across * step }}
        role="img"
        aria-label={t("planFile.drawn", {
          panel: `${panel.spaceCode}-${panel.code}`,
          named: at.size,
          ports: panel.ports,
        })}
      >
        {Array.from({ length: panel.ports }, (_, i) => {
          const end = at.get(`${i + 1}`);
          const x = (i % across) * step + 2;
          const y = Math.floor(i / across) * 34 + 2;
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a port is its number
            <g key={i}>
              <rect
                x={x}
                y={y}
                width={step - 4}
                height={16}
                fill={end ? strandPaint[end.strand.colour] : "none"}
                stroke="var(--strandEdge)"
                strokeWidth={end ? 1.2 : 0.6}
                strokeDasharray={end ? undefined : "2 2"}
              />
              {end && end.kind !== "same" && (
                <path
                  d={end.kind === "added" ? `M${x + 9} ${y + 19}v8m-4 -4h8` : `M${x + 5} ${y + 25}l4 -5l4 5z`}
                  stroke="var(--ink)"
                  strokeWidth={1.4}
                  fill="none"
                />
              )}
            </g>
          );
        })}
      </svg>
    </figure>
  );
}
