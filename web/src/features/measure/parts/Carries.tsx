import { useTranslation } from "react-i18next";
import { api, type S } from "../../../api/client";
import { Await, Grid } from "../../../ui/Parts";
import { dB } from "../../../ui/settings";

/** Both directions, and which applications the worst of them still carries. */
export function Carries({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const lossDb = Object.fromEntries(end.losses.map((l) => [l.wavelengthNm, l.worstDb]));
  const fits = api.useQuery("post", "/api/calc/applications", {
    body: { fiberClass: end.fiberClass, lengthM: end.lengthM, lossDb },
  });
  return (
    <section className="card">
      <h2>{t("measure.both")}</h2>
      <Grid
        rowKey={(l) => `${l.wavelengthNm}`}
        rows={end.losses}
        empty={t("suspect.nothing")}
        columns={[
          { title: "nm", render: (l) => l.wavelengthNm },
          { title: t("measure.a-to-b"), right: true, render: (l) => (l.aToBDb == null ? "" : dB(l.aToBDb)) },
          { title: t("measure.b-to-a"), right: true, render: (l) => (l.bToADb == null ? "" : dB(l.bToADb)) },
          { title: t("measure.mean"), right: true, render: (l) => (l.meanDb == null ? "" : dB(l.meanDb)) },
          { title: t("measure.worst"), right: true, render: (l) => <b>{dB(l.worstDb)}</b> },
          { title: t("measure.limit"), right: true, render: (l) => dB(l.limitDb) },
        ]}
      />
      {end.losses.some((l) => l.coreMix) && <p className="tone-bad">{t("measure.coreMix")}</p>}
      <h2>{t("measure.applications")}</h2>
      <Await of={fits}>
        {(a) => (
          <>
            <ul className="list">
              {a.applications.map((f) => (
                <li key={f.limit.name} className={f.carries ? "tone-good" : f.carries === false ? "tone-bad" : "faint"}>
                  {f.limit.name}:{" "}
                  {f.tooLong
                    ? t("measure.tooLong")
                    : f.carries === null
                      ? t("measure.notMeasured", { nm: f.limit.wavelengthNm })
                      : `${t(f.carries ? "measure.carries" : "measure.carriesNot")} · ${dB(f.marginDb ?? 0)} dB`}
                </li>
              ))}
            </ul>
            <p className="faint">{a.edition}</p>
          </>
        )}
      </Await>
    </section>
  );
}
