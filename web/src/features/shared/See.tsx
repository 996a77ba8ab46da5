import { Button, Progress } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useLocation } from "react-router";
import type { S } from "../../api/client";
import { StatusMark } from "../../domain/Verdict";
import { Await, Grid, useFault } from "../../ui/Parts";
import { dB, siteDay } from "../../ui/settings";
import { strandPaint } from "../../ui/theme";
import { openShared, secretOf, useShared, useSharedFile } from "./api";
import { LossStrip } from "./LossStrip";

/** A job as its customer sees it, opened by a link and with no account. */
export default function See() {
  const { t } = useTranslation();
  const secret = secretOf(useLocation().hash);
  const shared = useShared(secret);
  return (
    <main className="open-page">
      {!shared.data && <h1>{t("see.title")}</h1>}
      <Await of={shared}>
        {({ dossier: d, papers, expiresAt }) => (
          <>
            <p className="whose">{d.company}</p>
            <h1>
              {d.job.customer} <span className="faint">· {d.job.site}</span>
            </h1>
            <Summary dossier={d} />
            {papers.length > 0 && (
              <section className="card noprint">
                <h2>{t("see.papers")}</h2>
                <ul className="list">
                  {papers.map((p) => (
                    <li key={p.dossierId} className="row between">
                      <span>
                        {t("see.paper", { no: p.handover, day: siteDay(p.at, d.job.timeZone) })}{" "}
                        <span className="faint">{t("paper.code", { code: p.checkCode })}</span>
                      </span>
                      <PaperButton paper={p} secret={secret} />
                    </li>
                  ))}
                </ul>
              </section>
            )}
            {d.places.map((p) => (
              <Panel key={p.placeId} dossier={d} place={p} secret={secret} />
            ))}
            <p className="law">
              {t("see.caution")} {t("app.law")}
            </p>
            <p className="faint noprint">{t("see.until", { day: siteDay(expiresAt, d.job.timeZone) })}</p>
          </>
        )}
      </Await>
    </main>
  );
}

function Summary({ dossier }: { dossier: S["Dossier"] }) {
  const { t } = useTranslation();
  const s = dossier.summary;
  return (
    <section className="card">
      <p className="big">
        {t(s.proven === s.planned ? "see.all" : "see.some", { proven: s.proven, planned: s.planned })}
      </p>
      <Progress percent={s.planned ? Math.round((100 * s.proven) / s.planned) : 0} aria-label={t("see.proven")} />
      <ul className="bars">
        {s.spaces.map((x) => (
          <li key={x.code}>
            {x.code ? `${x.code} · ${x.name}` : t("see.noPanel")}:{" "}
            {t("see.of", { proven: x.proven, planned: x.planned })}
          </li>
        ))}
      </ul>
      {s.losses.map((l) => (
        <div key={l.wavelengthNm}>
          <p>
            {t("see.loss", {
              nm: l.wavelengthNm,
              count: l.shares.length,
              share: Math.round(100 * (l.shares.at(-1) ?? 0)),
              end: l.worst,
              loss: dB(l.worstLossDb),
              limit: dB(l.worstLimitDb),
            })}
          </p>
          <LossStrip strip={l} />
        </div>
      ))}
      {dossier.asOf && <p className="faint">{t("see.asOf", { day: siteDay(dossier.asOf, dossier.job.timeZone) })}</p>}
    </section>
  );
}

function PaperButton({ paper, secret }: { paper: S["SharedPaper"]; secret: string }) {
  const { t } = useTranslation();
  const fault = useFault();
  const [busy, setBusy] = useState(false);
  const save = async () => {
    setBusy(true);
    try {
      const url = URL.createObjectURL(await openShared(`/api/shared/papers/${paper.dossierId}`, secret));
      const a = document.createElement("a");
      a.href = url;
      a.download = paper.fileName;
      a.click();
      setTimeout(() => URL.revokeObjectURL(url), 60_000);
    } catch (e) {
      fault(e);
    }
    setBusy(false);
  };
  return (
    <Button loading={busy} onClick={save}>
      {t("see.savePaper")}
    </Button>
  );
}

function Panel(props: { dossier: S["Dossier"]; place: S["DossierPlace"]; secret: string }) {
  const { t } = useTranslation();
  const { dossier, place } = props;
  const [seen, setSeen] = useState<string | null>(null);
  const ends = dossier.ends.filter((e) => e.placeId === place.placeId);
  const nms = [...new Set(ends.flatMap((e) => e.losses.map((l) => l.wavelengthNm)))].sort((a, b) => a - b);
  const shown = ends.find((e) => e.endId === seen);
  const connector = (e: S["DossierEnd"]) => `${t(`form.${e.form}`)}/${e.polish} ${t(`mode.${e.mode}`)}`;
  // What holds for all of a panel stands above it once.
  const alike = new Set(ends.map(connector)).size === 1;
  return (
    <section className="card">
      <h2>
        {place.code}{" "}
        <span className="faint">
          {[
            place.spaceName,
            t("see.of", { proven: place.proven, planned: place.planned }),
            alike && ends[0] && connector(ends[0]),
          ]
            .filter(Boolean)
            .join(" · ")}
        </span>
      </h2>
      <Grid
        rowKey={(e) => e.endId}
        rows={ends}
        columns={[
          { title: t("see.end"), render: (e) => <span className="address">{e.address}</span> },
          {
            title: t("see.state"),
            render: (e) =>
              e.status === "accepted" ? (
                <StatusMark status="accepted" verdict={e.verdict} />
              ) : (
                <span className="faint">{t("see.open")}</span>
              ),
          },
          ...nms.map((nm) => ({
            title: t("see.nm", { nm }),
            right: true,
            render: (e: S["DossierEnd"]) =>
              e.losses
                .filter((l) => l.wavelengthNm === nm)
                .map((l) => `${dB(l.lossDb)} / ${dB(l.limitDb)}`)
                .join("; "),
          })),
          {
            title: t("see.face"),
            render: (e) =>
              e.face?.pictureId ? (
                <Button
                  size="small"
                  className="noprint"
                  aria-expanded={seen === e.endId}
                  aria-label={t("see.faceOf", { end: e.address })}
                  onClick={() => setSeen(seen === e.endId ? null : e.endId)}
                >
                  {t("see.picture")}
                </Button>
              ) : (
                e.face && t("see.byEye")
              ),
          },
          {
            title: t("see.strand"),
            render: (e) => (
              <span className="whole-line">
                <span className="swatch" style={{ background: strandPaint[e.strand.colour] }} aria-hidden="true" />{" "}
                {e.strand.number} {t(`colour.${e.strand.colour}`)}
                {e.strand.tracer ? ` ${t("bench.tracer")}` : ""}
              </span>
            ),
          },
          { title: t("see.far"), render: (e) => <span className="address">{e.farAddress}</span> },
          ...(alike ? [] : [{ title: t("see.connector"), render: connector }]),
          {
            title: t("see.accepted"),
            render: (e) =>
              e.acceptedAt && <span className="whole-line">{siteDay(e.acceptedAt, dossier.job.timeZone)}</span>,
          },
        ]}
      />
      {shown?.face?.pictureId && (
        <figure className="face-shown">
          <Face id={shown.face.pictureId} secret={props.secret} label={t("see.faceOf", { end: shown.address })} />
          <figcaption>
            <span className="address">{shown.address}</span> · {t("see.faceGood", { edition: shown.face.edition })}
          </figcaption>
        </figure>
      )}
    </section>
  );
}

function Face({ id, secret, label }: { id: string; secret: string; label: string }) {
  const picture = useSharedFile(`/api/shared/faces/${id}`, secret);
  return <Await of={picture}>{(src) => <img src={src} width={320} height={320} alt={label} />}</Await>;
}
