import { Alert, Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import type { S } from "../../api/client";
import { useEnd, usePlace, useTable } from "../../api/hooks";
import { Unfit } from "../../domain/NoProcedure";
import { PrepDrawing } from "../../domain/PrepDrawing";
import { PrepNumbers } from "../../domain/PrepNumbers";
import { PrepTemplate } from "../../domain/PrepTemplate";
import { SlackText } from "../../domain/SlackText";
import { Await, Nothing, Sideways, StrandName } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";

/** Everything the hand must measure on one end, drawn to scale and printable. */
export default function Prep() {
  const { t } = useTranslation();
  const words = useWords();
  const length = useLength();
  const { endId } = useParams();
  const end = useEnd(endId);
  const table = useTable(end.data?.procedureId, end.data?.procedureVersion, undefined, end.data?.answers);
  const place = usePlace(end.data?.placeId);
  return (
    <Await of={end}>
      {(e) => (
        <div className="prep-page">
          <div className="row between">
            <h1>
              {t("prep.title")} · {e.address}
            </h1>
            <Button className="noprint" onClick={() => window.print()}>
              {t("app.print")}
            </Button>
          </div>
          <p>
            <StrandName strand={e.strand} /> · {t(`method.${e.method}`)} · {t(`form.${e.form}`)}/{e.polish} ·{" "}
            {t(`construction.${e.construction}`)}
            <span className="noprint">
              {" · "}
              <Link to={`/handover/${e.endId}`}>{t("bench.toRecord")}</Link>
            </span>
          </p>
          {e.prep && table.data ? (
            <>
              <Alike ends={alike(place.data?.ends ?? [], e)} />
              <Sideways card>
                <h2>{t("prep.template")}</h2>
                <PrepTemplate prep={e.prep} />
                <p className="faint">
                  {t("prep.ruler")} {t("prep.scale")}
                </p>
                <div className="noprint">
                  <PrepDrawing prep={e.prep} />
                </div>
                <div className="onlyprint">
                  <PrepDrawing prep={e.prep} afterOnly />
                </div>
              </Sideways>
              <div className="cols">
                <section className="card">
                  <PrepNumbers prep={e.prep} />
                  <p className="faint">{table.data.source}</p>
                </section>
                <section className="card noprint">
                  <h2>{t("prep.left")}</h2>
                  {e.slack.nearlyOut && <Alert type="warning" showIcon title={t("prep.nearlyOut")} />}
                  <SlackText slack={e.slack} />
                </section>
                <section className="card">
                  <h2>{t("prep.order")}</h2>
                  <ol>
                    {table.data.states
                      .filter(
                        (s) => s.strip || s.drawing === "aramid" || s.drawing === "mark" || s.drawing === "cleave",
                      )
                      .map((s) => (
                        <li key={s.id}>
                          {words(s.act)}
                          {s.dimensions.map((d) => ` · ${length(d.lengthMm, d.toleranceMm === null)} ${d.name}`)}
                          {s.strip?.notchMm != null && ` · ${t("bench.notch")} ${length(s.strip.notchMm)}`}
                        </li>
                      ))}
                  </ol>
                </section>
                <section className="card">
                  <h2>{t("prep.parts")}</h2>
                  <ol>
                    {table.data.parts.map((p) => (
                      <li key={p.id}>
                        {alike(place.data?.ends ?? [], e).length > 1 && `${alike(place.data?.ends ?? [], e).length} × `}
                        {p.name}
                        {p.threaded && <b> · {t("prep.threaded")}</b>}
                        {p.first && <span> · {t("bench.firstSide", { side: p.first })}</span>}
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
              <p className="caution hand inplace">{t("caution.glass")}</p>
            </>
          ) : (
            <>
              <Nothing text={t("prep.none")} />
              <Unfit endId={e.endId} />
            </>
          )}
          <p className="law">{t("app.law")}</p>
        </div>
      )}
    </Await>
  );
}

/** The strands that one card serves: those of its batch, else those of its place that are planned alike and not made yet. */
function alike(ends: S["EndView"][], e: S["EndView"]): S["EndView"][] {
  const batch = e.state.attempts.at(-1)?.batchId;
  const same = (x: S["EndView"]) =>
    x.procedureId === e.procedureId &&
    x.procedureVersion === e.procedureVersion &&
    JSON.stringify(x.prep) === JSON.stringify(e.prep);
  return batch
    ? ends.filter((x) => same(x) && x.state.attempts.at(-1)?.batchId === batch)
    : ends.filter((x) => same(x) && x.state.attempts.length === 0);
}

function Alike({ ends }: { ends: S["EndView"][] }) {
  const { t } = useTranslation();
  if (ends.length < 2) return null;
  return (
    <section className="card">
      <h2>{t("prep.forAll", { count: ends.length })}</h2>
      <ul className="strandlist">
        {ends.map((x) => (
          <li key={x.endId}>
            <StrandName strand={x.strand} /> <span className="faint">{x.address}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
