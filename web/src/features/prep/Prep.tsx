import { Alert, Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import type { S } from "../../api/client";
import { useEnd, useTable } from "../../api/hooks";
import { Await, Nothing, StrandName } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";
import { PrepDrawing } from "./PrepDrawing";

/** Everything the hand must measure on one end, drawn to scale and printable. */
export default function Prep() {
  const { t } = useTranslation();
  const words = useWords();
  const { endId } = useParams();
  const end = useEnd(endId);
  const table = useTable(end.data?.procedureId, end.data?.procedureVersion);
  return (
    <Await of={end}>
      {(e) => (
        <>
          <div className="row" style={{ justifyContent: "space-between" }}>
            <h1>
              {t("prep.title")} · {e.address}
            </h1>
            <Button className="noprint" onClick={() => window.print()}>
              {t("app.print")}
            </Button>
          </div>
          <p>
            <StrandName strand={e.strand} /> · {t(`method.${e.method}`)} · {t(`form.${e.form}`)}/{e.polish} ·{" "}
            {t(`construction.${e.construction}`)} · <Link to={`/handover/${e.endId}`}>{t("bench.toRecord")}</Link>
          </p>
          {e.prep && table.data ? (
            <>
              <section className="card scroll">
                <PrepDrawing prep={e.prep} />
                <p className="faint">
                  {t("prep.ruler")} {t("prep.scale")}
                </p>
              </section>
              <div className="cols">
                <section className="card">
                  <Numbers prep={e.prep} />
                  <p className="faint">{table.data.source}</p>
                </section>
                <section className="card">
                  <h2>{t("prep.left")}</h2>
                  {e.slack.nearlyOut && <Alert type="warning" showIcon title={t("prep.nearlyOut")} />}
                  <SlackText slack={e.slack} />
                </section>
                <section className="card">
                  <h2>{t("prep.parts")}</h2>
                  <ol>
                    {table.data.parts.map((p) => (
                      <li key={p.id}>
                        {p.name}
                        {p.threaded && <b> · {t("prep.threaded")}</b>}
                        {p.note && <span className="faint"> · {words(p.note)}</span>}
                      </li>
                    ))}
                  </ol>
                  <h2>{t("prep.tools")}</h2>
                  <ul>
                    {table.data.tools.map((x) => (
                      <li key={x.id}>
                        {x.name}
                        {x.setting && <span className="faint"> · {words(x.setting)}</span>}
                      </li>
                    ))}
                  </ul>
                </section>
              </div>
              <p className="caution hand" style={{ position: "static", borderWidth: 1 }}>
                {t("caution.glass")}
              </p>
            </>
          ) : (
            <Nothing text={t("prep.none")} />
          )}
          <p className="law">{t("app.law")}</p>
        </>
      )}
    </Await>
  );
}

export function SlackText({ slack }: { slack: S["SlackOutlook"] }) {
  const { t } = useTranslation();
  const length = useLength();
  return (
    <p>
      <b>{length(slack.leftMm)}</b>, {t("prep.cutOffsLeft", { count: slack.cutOffsLeft })}
    </p>
  );
}

export function Numbers({ prep }: { prep: S["PrepCard"] }) {
  const { t } = useTranslation();
  const length = useLength();
  const range = (r: S["ToleratedMm"] | null) =>
    r ? `${length(r.nominalMm)} (${length(r.minMm, false)}–${length(r.maxMm)})` : t("prep.noCleave");
  const lines: [string, string | null][] = [
    ["clamp", prep.clampFromEndMm === null ? null : length(prep.clampFromEndMm)],
    ["jacketOff", prep.jacketOffMm === null ? null : length(prep.jacketOffMm)],
    ["aramid", prep.aramidBeyondJacketMm === null ? null : length(prep.aramidBeyondJacketMm)],
    ["buffer", prep.bufferBeyondJacketMm === null ? null : length(prep.bufferBeyondJacketMm)],
    ["bare", prep.bareMm === null ? null : length(prep.bareMm)],
    ["cleaved", range(prep.cleavedMm)],
    ["shard", range(prep.shardMm)],
    [
      "bites",
      prep.bites ? t("prep.bitesText", { five: prep.bites.inFiveMm, quarter: prep.bites.inQuarterInch }) : null,
    ],
    ["cutOff", length(prep.cutOffUsesMm)],
  ];
  return (
    <dl className="facts">
      {lines.map(
        ([name, value]) =>
          value !== null && (
            <div key={name} style={{ display: "contents" }}>
              <dt>{t(`prep.${name}`)}</dt>
              <dd>{value}</dd>
            </div>
          ),
      )}
    </dl>
  );
}
