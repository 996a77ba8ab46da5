import { Segmented } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { api, type S } from "../../api/client";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";

const percent = (share: number, digits = 0) => `${(share * 100).toFixed(digits)} %`;

/** What to bring for what is not accepted yet, with how sure one wants to be; and which ends cannot afford a second try. */
export function Bring({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const [confidence, setConfidence] = useState(0.95);
  const kit = api.useQuery("get", "/api/jobs/{jobId}/kit", { params: { path: { jobId }, query: { confidence } } });
  return (
    <section className="card">
      <h2>{t("bring.title")}</h2>
      <div className="row middle below">
        <span className="faint">{t("bring.confidence")}</span>
        <Segmented
          aria-label={t("bring.confidence")}
          options={[0.8, 0.9, 0.95, 0.99].map((c) => ({ value: c, label: percent(c) }))}
          value={confidence}
          onChange={setConfidence}
        />
      </div>
      <Await of={kit}>
        {(k) =>
          k.groups.length === 0 ? (
            <Nothing text={t("bring.nothing")} />
          ) : (
            <>
              <Groups groups={k.groups} />
              <Risks kit={k} />
            </>
          )
        }
      </Await>
    </section>
  );
}

function Groups({ groups }: { groups: S["KitGroup"][] }) {
  const { t } = useTranslation();
  const words = useWords();
  return (
    <>
      <Grid
        rowKey={(g) => `${g.procedureId}${g.procedureVersion}${g.form}${g.polish}${g.mode}${g.construction}`}
        rows={groups}
        columns={[
          { title: t("bring.connector"), render: (g) => `${t(`form.${g.form}`)}/${g.polish} ${t(`mode.${g.mode}`)}` },
          { title: t("bring.connectors"), right: true, render: (g) => <b>{g.connectors}</b> },
          { title: t("bring.ends"), right: true, render: (g) => g.ends },
          {
            title: t("bring.method"),
            render: (g) => `${t(`method.${g.method}`)}, ${t(`construction.${g.construction}`)}`,
          },
          {
            title: t("bring.firstPass"),
            right: true,
            render: (g) => (
              <span title={t("bring.between", { low: percent(g.firstPassLow), high: percent(g.firstPassHigh) })}>
                {percent(g.firstPass, 1)}{" "}
                <span className="faint">
                  {g.counted === 0 ? t("bring.assumed") : t("bring.counted", { count: g.counted })}
                </span>
              </span>
            ),
          },
          {
            title: t("bring.rework"),
            right: true,
            render: (g) => t("bring.minutes", { count: Math.round(g.reworkMinutes) }),
          },
        ]}
      />
      <details className="above">
        <summary>{t("bring.parts")}</summary>
        {groups.map((g) => (
          <div key={`${g.procedureId}${g.form}${g.polish}${g.mode}${g.construction}`}>
            <p>
              <b>{`${t(`form.${g.form}`)}/${g.polish}, ${t(`method.${g.method}`)}`}</b>
            </p>
            <ul>
              {g.parts.map((p) => (
                <li key={p.part}>
                  {p.count} × {words(p.part)}
                </li>
              ))}
            </ul>
          </div>
        ))}
      </details>
    </>
  );
}

function Risks({ kit }: { kit: S["JobKitAnswer"] }) {
  const { t } = useTranslation();
  const length = useLength();
  if (kit.risks.length === 0) return <p className="faint">{t("bring.noRisk")}</p>;
  return (
    <>
      <h3>{t("bring.risks")}</h3>
      <ul className="list">
        {kit.risks.map((r) => (
          <li key={r.endId} className="row">
            <Link to={`/prep/${r.endId}`}>{r.address}</Link>
            <b className={r.risk >= 0.1 ? "tone-bad" : "tone-doubtful"}>{percent(r.risk)}</b>
            <span className="faint">{t("bring.left", { left: length(r.slackLeftMm) })}</span>
          </li>
        ))}
      </ul>
      {kit.moreRisks > 0 && <p className="faint">{t("bring.more", { count: kit.moreRisks })}</p>}
      <p className="faint">{t("bring.riskHow")}</p>
    </>
  );
}
