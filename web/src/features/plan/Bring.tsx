import { Button, Segmented, Select } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";
import { v7 as uuid7 } from "uuid";
import { api, type S } from "../../api/client";
import { useAtHand, useCrews, useFigures, useSession } from "../../api/hooks";
import { amountOf, supplyName } from "../../domain/kitItem";
import { useLedger } from "../../offline/useLedger";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";

export const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

const BY_COST = "cost";

/** What to bring for what is not accepted yet, with how sure one wants to be; and which ends cannot afford a second try. */
export function Bring({ job }: { job: S["Job"] }) {
  const { t } = useTranslation();
  const figures = useFigures();
  const priced = figures.data?.figures.tripCost != null;
  const [chosen, setChosen] = useState<number | typeof BY_COST>();
  const confidence = chosen ?? (priced ? BY_COST : 0.95);
  const [more, setMore] = useState<string[]>([]);
  const others = (useAtHand().data ?? []).filter((j) => j.jobId !== job.jobId);
  const kit = api.useQuery(
    "get",
    "/api/kit",
    {
      params: {
        query: { jobId: [job.jobId, ...more], confidence: confidence === BY_COST ? undefined : confidence },
      },
    },
    { placeholderData: (before: S["JobKitAnswer"] | undefined) => before },
  );
  return (
    <section className="card" id="bring">
      <h2>{t("bring.title")}</h2>
      <div className="row middle below">
        <span className="faint">{t("bring.confidence")}</span>
        <Segmented
          aria-label={t("bring.confidence")}
          options={[
            ...[0.8, 0.9, 0.95, 0.99].map((c) => ({ value: c as number | string, label: percent(c) })),
            ...(priced ? [{ value: BY_COST, label: t("bring.byCost") }] : []),
          ]}
          value={confidence}
          onChange={(v) => setChosen(v as number | typeof BY_COST)}
        />
        {others.length > 0 && (
          <Select
            className="w-l"
            mode="multiple"
            aria-label={t("bring.alsoFor")}
            placeholder={t("bring.alsoFor")}
            optionFilterProp="label"
            value={more}
            onChange={setMore}
            options={others.map((j) => ({ value: j.jobId, label: `${j.customer} · ${j.site}` }))}
          />
        )}
      </div>
      <Await of={kit}>
        {(k) =>
          k.groups.length === 0 ? (
            <Nothing text={t("bring.nothing")} />
          ) : (
            <>
              <Said kit={k} />
              <Connectors connectors={k.connectors} groups={k.groups} currency={k.currency} />
              <MakeList kit={k} job={job} jobIds={[job.jobId, ...more]} />
              <Supplies supplies={k.supplies} />
              <Parts groups={k.groups} />
              <Ribbons ribbons={k.ribbons} />
              <Risks kit={k} />
            </>
          )
        }
      </Await>
    </section>
  );
}

const money = (amount: number, currency: string) =>
  `${amount.toLocaleString("en", { maximumFractionDigits: amount < 100 ? 2 : 0 })}${currency ? ` ${currency}` : ""}`;

function Said({ kit }: { kit: S["JobKitAnswer"] }) {
  const { t } = useTranslation();
  const total = kit.connectors.reduce((sum, c) => sum + c.connectors, 0);
  const ends = kit.connectors.reduce((sum, c) => sum + c.ends, 0);
  return (
    <p>
      {t(kit.fromCost ? "bring.saidByCost" : "bring.said", {
        count: total,
        ends: t("bring.endsOf", { count: ends }),
        chance: percent(kit.confidence, 1),
        cost: money(kit.cost, kit.currency),
      })}{" "}
      <Link to="/kit?part=prices">{t("bring.prices")}</Link>
    </p>
  );
}

function Connectors(props: { connectors: S["KitConnector"][]; groups: S["KitGroup"][]; currency: string }) {
  const { t } = useTranslation();
  const first = (c: S["KitConnector"]) =>
    props.groups.find((g) => g.method === c.method && g.form === c.form && g.polish === c.polish && g.mode === c.mode);
  const rework = (c: S["KitConnector"]) =>
    props.groups
      .filter((g) => g.method === c.method && g.form === c.form && g.polish === c.polish && g.mode === c.mode)
      .filter((g) => c.constructions.includes(g.construction))
      .reduce((sum, g) => sum + g.reworkMinutes, 0);
  return (
    <Grid
      rowKey={(c) => `${c.method}${c.form}${c.polish}${c.mode}${c.constructions.join()}`}
      rows={props.connectors}
      columns={[
        { title: t("bring.connector"), render: (c) => `${t(`form.${c.form}`)}/${c.polish} ${t(`mode.${c.mode}`)}` },
        { title: t("bring.connectors"), right: true, render: (c) => <b>{c.connectors}</b> },
        {
          title: t("bring.packs"),
          render: (c) => (
            <span className="wide">
              {c.packs.map((p) => `${p.count} × ${t("bring.pack", { name: p.name, size: p.size })}`).join(", ") || "–"}
              {c.left > 0 && <span className="faint"> · {t("bring.over", { count: c.left })}</span>}
              {c.setAside.length > 0 && (
                <div className="tone-doubtful">
                  {c.setAside
                    .map((a) =>
                      t("bring.aside", {
                        count: a.count,
                        part: t(`packed.${a.part}`, { defaultValue: a.part }),
                        kind: a.for ? t("bring.forCable", { construction: t(`construction.${a.for[0]}`) }) : "",
                        construction: t(`construction.${a.construction}`),
                      }),
                    )
                    .join("; ")}
                </div>
              )}
            </span>
          ),
        },
        { title: t("bring.ends"), right: true, render: (c) => c.ends },
        {
          title: t("bring.method"),
          render: (c) => `${t(`method.${c.method}`)}, ${c.constructions.map((x) => t(`construction.${x}`)).join(", ")}`,
        },
        {
          title: t("bring.firstPass"),
          right: true,
          render: (c) => {
            const g = first(c);
            return (
              g && (
                <span title={t("bring.between", { low: percent(g.firstPassLow), high: percent(g.firstPassHigh) })}>
                  {percent(g.firstPass, 1)}{" "}
                  <span className="faint">
                    {g.counted === 0 ? t("bring.assumed") : t("bring.counted", { count: g.counted })}
                  </span>
                </span>
              )
            );
          },
        },
        { title: t("bring.rework"), right: true, render: (c) => t("bring.minutes", { count: Math.round(rework(c)) }) },
        { title: t("bring.cost"), right: true, render: (c) => money(c.cost, props.currency) },
      ]}
    />
  );
}

/** Leads and the office make the list that the crew loads by. */
function MakeList({ kit, job, jobIds }: { kit: S["JobKitAnswer"]; job: S["Job"]; jobIds: string[] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const navigate = useNavigate();
  const person = useSession().data?.person;
  const crews = useCrews();
  const [crewId, setCrew] = useState(person?.role === "office" ? job.crewId : (person?.crewId ?? undefined));
  const [busy, setBusy] = useState(false);
  if (person?.role !== "lead" && person?.role !== "office") return null;
  return (
    <div className="row middle above">
      {person.role === "office" && (
        <Select
          className="w-m"
          aria-label={t("assign.crew")}
          value={crewId}
          onChange={setCrew}
          options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))}
        />
      )}
      <Button
        type="primary"
        loading={busy}
        disabled={!crewId}
        onClick={async () => {
          setBusy(true);
          const streamId = uuid7();
          const body = { crewId, jobIds, confidence: kit.confidence, lines: kit.pick };
          const { ok } = await tell({ stream: "pick", streamId, kind: "pick-made", body });
          setBusy(false);
          if (ok) navigate(`/kit/pick/${streamId}`);
        }}
      >
        {t("bring.makeList")}
      </Button>
      <span className="row files">
        {(["pdf", "xlsx", "csv"] as const).map((format) => (
          <a
            key={format}
            download
            href={`/api/kit/file?format=${format}&confidence=${kit.fromCost ? "" : kit.confidence.toFixed(6)}${jobIds.map((j) => `&jobId=${j}`).join("")}`}
          >
            {format.toUpperCase()}
          </a>
        ))}
      </span>
    </div>
  );
}

function Supplies({ supplies }: { supplies: S["SupplyNeed"][] }) {
  const { t } = useTranslation();
  if (supplies.length === 0) return null;
  return (
    <>
      <h3>{t("bring.supplies")}</h3>
      <ul className="list cols-list">
        {supplies.map((s) => (
          <li key={`${s.kind}${s.detail}`}>
            <b>{amountOf(s.amount, s.kind)}</b> {supplyName(t, s.kind, s.detail)}{" "}
            <span className="faint">{t(`supply.why.${s.kind}`, { uses: Math.round(s.uses) })}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Parts({ groups }: { groups: S["KitGroup"][] }) {
  const { t } = useTranslation();
  const words = useWords();
  return (
    <details className="above">
      <summary>{t("bring.parts")}</summary>
      {groups.map((g) => (
        <div key={`${g.procedureId}${g.procedureVersion}${g.form}${g.polish}${g.mode}${g.construction}`}>
          <p>
            <b>{`${t(`form.${g.form}`)}/${g.polish}, ${t(`method.${g.method}`)}, ${t(`construction.${g.construction}`)}`}</b>
          </p>
          <ul>
            {g.parts.map((p) => (
              <li key={p.part}>
                {p.count} × {words(p.name)}
                {!p.inPack && <span className="tone-doubtful"> · {t("bring.notInPack")}</span>}
              </li>
            ))}
          </ul>
        </div>
      ))}
    </details>
  );
}

function Ribbons({ ribbons }: { ribbons: S["RibbonWarning"][] }) {
  const { t } = useTranslation();
  if (ribbons.length === 0) return null;
  return (
    <>
      <h3>{t("bring.ribbons")}</h3>
      <ul className="list">
        {ribbons.map((r) => (
          <li key={`${r.cableId}${r.side}`} className="tone-doubtful">
            {r.code} {r.side}: {r.faults.map((f) => t(`ribbonFault.${f}`)).join("; ")}
          </li>
        ))}
      </ul>
    </>
  );
}

const FIRST = 12;

function Risks({ kit }: { kit: S["JobKitAnswer"] }) {
  const { t } = useTranslation();
  const length = useLength();
  const [all, setAll] = useState(false);
  if (kit.risks.length === 0) return <p className="faint above">{t("bring.noRisk")}</p>;
  const shown = all ? kit.risks : kit.risks.slice(0, FIRST);
  return (
    <>
      <h3>{t("bring.risks")}</h3>
      <ul className="list">
        {shown.map((r) => (
          <li key={r.endId} className="risk">
            <Link to={`/prep/${r.endId}`}>{r.address}</Link>{" "}
            <b className={r.risk >= 0.1 ? "tone-bad" : "tone-doubtful"}>{percent(r.risk)}</b>{" "}
            <span className="faint">
              {r.spareMm < 0
                ? t("bring.outOfReach", { left: length(r.slackLeftMm), by: length(-r.spareMm) })
                : t("bring.spare", { left: length(r.slackLeftMm), spare: length(r.spareMm) })}
            </span>
            {r.advice.length > 0 && (
              <div>
                {r.advice
                  .map((a) =>
                    t(a.act === "best-hand" && !a.personName ? "riskAct.best-hand-unnamed" : `riskAct.${a.act}`, {
                      title: a.title,
                      name: a.personName,
                      risk: percent(a.risk),
                    }),
                  )
                  .join("; ")}
              </div>
            )}
          </li>
        ))}
      </ul>
      {kit.risks.length > FIRST && !all && (
        <Button onClick={() => setAll(true)}>{t("bring.all", { count: kit.risks.length + kit.moreRisks })}</Button>
      )}
      <p className="faint">{t("bring.riskHow")}</p>
    </>
  );
}
