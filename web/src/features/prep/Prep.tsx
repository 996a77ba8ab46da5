import { Alert, Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";
import { useEnd, useTable } from "../../api/hooks";
import { PrepDrawing } from "../../domain/PrepDrawing";
import { PrepNumbers } from "../../domain/PrepNumbers";
import { SlackText } from "../../domain/SlackText";
import { Await, Nothing, StrandName } from "../../ui/Parts";
import { useWords } from "../../ui/settings";

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
                  <PrepNumbers prep={e.prep} />
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
              <p className="caution hand inplace">{t("caution.glass")}</p>
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
