import { useTranslation } from "react-i18next";
import { useParams } from "react-router";
import { useTable } from "../../api/hooks";
import { Await } from "../../ui/Parts";
import { useLength, useWords } from "../../ui/settings";
import { Numbers } from "../prep/Prep";
import { PrepDrawing } from "../prep/PrepDrawing";

/** A procedure to read: dimensions, steps in order, and what happens when a check goes wrong. */
export default function Method() {
  const { t } = useTranslation();
  const words = useWords();
  const { procedureId, version } = useParams();
  const table = useTable(procedureId, Number(version));
  const length = useLength();
  return (
    <Await of={table}>
      {(p) => (
        <>
          <h1>{p.title}</h1>
          <p className="faint">
            {t("methods.version", { v: p.version })} · {p.source}
          </p>
          <section className="card scroll">
            <PrepDrawing prep={p.prep} />
          </section>
          <div className="cols">
            <section className="card">
              <h2>{t("prep.title")}</h2>
              <Numbers prep={p.prep} />
            </section>
            <section className="card">
              <h2>{t("prep.parts")}</h2>
              <ol>
                {p.parts.map((x) => (
                  <li key={x.id}>
                    {x.name}
                    {x.threaded && <b> · {t("prep.threaded")}</b>}
                  </li>
                ))}
              </ol>
            </section>
          </div>
          <section className="card">
            <h2>{t("methods.steps")}</h2>
            <ol>
              {p.states.map((s) => (
                <li key={s.id} style={{ marginBottom: 8 }}>
                  <span className="faint">{t(`phase.${s.phase}`)} · </span>
                  <b>{words(s.act)}</b>
                  {s.dimensions.map(
                    (d) => ` · ${length(d.lengthMm)}${d.toleranceMm ? ` ± ${length(d.toleranceMm)}` : ""}`,
                  )}
                  {s.timer && ` · ${s.timer.durationS} s`}
                  {s.count && ` · ${s.count.min}–${s.count.max} ${s.count.what}`}
                  {s.question && (
                    <>
                      <br />
                      {s.question}{" "}
                      {s.answers.map((a) => (
                        <span key={a.id} className={`tone-${a.tone}`}>
                          {a.label}
                          {s.on[a.id]?.ladder ? ` → ${p.ladders.find((l) => l.id === s.on[a.id]?.ladder)?.title}` : ""}{" "}
                          ·{" "}
                        </span>
                      ))}
                    </>
                  )}
                </li>
              ))}
            </ol>
          </section>
          <h2>{t("methods.ladder")}</h2>
          <div className="cols">
            {p.ladders.map((l) => (
              <section className="card" key={l.id}>
                <h3>{l.title}</h3>
                <ol>
                  {l.uses.map((u, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: the same rung may stand twice
                    <li key={i}>
                      {words(u.act)}
                      <br />
                      <span className="faint">
                        {u.to
                          ? t("methods.backTo", { step: words(p.states.find((s) => s.id === u.to)?.act) })
                          : t("methods.newAttempt")}{" "}
                        ·{" "}
                        {t("methods.ladderCost", {
                          minutes: u.minutes,
                          slack: length(u.slackMm),
                          parts: u.parts.length ? u.parts.join(", ") : t("methods.noParts"),
                        })}
                      </span>
                    </li>
                  ))}
                </ol>
              </section>
            ))}
          </div>
          <p className="law">{t("app.law")}</p>
        </>
      )}
    </Await>
  );
}
