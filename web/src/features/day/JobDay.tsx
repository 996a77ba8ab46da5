import { useTranslation } from "react-i18next";
import { Link, useParams, useSearchParams } from "react-router";
import { api } from "../../api/client";
import { useJob, useSession } from "../../api/hooks";
import { PhotoTake } from "../../domain/PhotoShelf";
import { DayField } from "../../ui/DayField";
import { Await, Grid, Nothing } from "../../ui/Parts";
import { dayText, siteTime } from "../../ui/settings";
import { Files } from "./Files";
import { Progress } from "./Progress";

/** A site's day as the ledger has it; for the office, what may be asked for it. */
export default function JobDay() {
  const { t } = useTranslation();
  const { jobId = "" } = useParams();
  const [asked, ask] = useSearchParams();
  const on = asked.get("on") ?? undefined;
  const job = useJob(jobId);
  const role = useSession().data?.person?.role;
  const day = api.useQuery("get", "/api/jobs/{jobId}/day", { params: { path: { jobId }, query: { on } } });
  return (
    <Await of={job}>
      {({ job: j }) => (
        <>
          <h1 className="clip">
            {t("day.title")} <span className="faint">· {[j.customer, j.site].join(" · ")}</span>
          </h1>
          <p className="row">
            <Link to={`/jobs/${jobId}`}>{t("handOver.job")}</Link>
            <Link to="/hours">{t("hours.title")}</Link>
          </p>
          <Await of={day}>
            {(d) => (
              <>
                <section className="card" aria-label={t("day.title")}>
                  <div className="row between below">
                    <DayField
                      aria-label={t("day.on")}
                      value={d.on}
                      onChange={(v) => v && ask({ on: v }, { replace: true })}
                    />
                    <Files path={`/api/jobs/${jobId}/day/file`} asked={{ on: d.on }} />
                  </div>
                  <p className="figure-line">
                    {t("day.count", {
                      day: dayText(d.on),
                      begun: d.begun,
                      accepted: d.accepted,
                      givenUp: d.givenUp,
                      by: d.acceptedByThen,
                      planned: d.planned,
                    })}
                  </p>
                  {d.people.length === 0 && d.blocks.length === 0 && d.delays.length === 0 && (
                    <Nothing text={t("day.nothing")} />
                  )}
                  {d.people.length > 0 && (
                    <>
                      <h2 className="above">{t("day.people")}</h2>
                      <Grid
                        rows={d.people}
                        rowKey={(p) => p.personId}
                        columns={[
                          { title: t("day.person"), render: (p) => p.name },
                          { title: t("day.first"), render: (p) => hour(p.firstAt, j.timeZone), right: true },
                          { title: t("day.last"), render: (p) => hour(p.lastAt, j.timeZone), right: true },
                          { title: t("day.begun"), render: (p) => p.begun, right: true },
                          { title: t("day.accepted"), render: (p) => p.accepted, right: true },
                          { title: t("day.givenUp"), render: (p) => p.givenUp, right: true },
                        ]}
                      />
                    </>
                  )}
                  {d.places.length > 0 && (
                    <>
                      <h2 className="above">{t("day.places")}</h2>
                      <Grid
                        rows={d.places}
                        rowKey={(p) => p.placeId}
                        columns={[
                          { title: t("day.place"), render: (p) => [p.code, p.spaceName].filter(Boolean).join(" · ") },
                          { title: t("day.begun"), render: (p) => p.begun, right: true },
                          { title: t("day.accepted"), render: (p) => p.accepted, right: true },
                          { title: t("day.givenUp"), render: (p) => p.givenUp, right: true },
                          { title: t("day.by"), render: (p) => `${p.acceptedByThen} / ${p.planned}`, right: true },
                        ]}
                      />
                    </>
                  )}
                  {d.blocks.length > 0 && (
                    <>
                      <h2 className="above">{t("block.ask")}</h2>
                      <Grid
                        rows={d.blocks}
                        rowKey={(b) => b.since + b.reason}
                        columns={[
                          { title: t("day.why"), render: (b) => t(`block.${b.reason}`) },
                          { title: t("day.place"), render: (b) => b.place ?? t("day.whole") },
                          { title: t("day.since"), render: (b) => siteTime(b.since, j.timeZone) },
                          { title: t("day.until"), render: (b) => b.liftedAt && siteTime(b.liftedAt, j.timeZone) },
                          { title: t("day.hours"), render: (b) => b.hours, right: true },
                          { title: t("day.hoursInAll"), render: (b) => b.hoursInAll, right: true },
                          { title: t("handover.note"), render: (b) => b.note },
                        ]}
                      />
                    </>
                  )}
                  {d.delays.length > 0 && (
                    <>
                      <h2 className="above">{t("day.delays")}</h2>
                      <Grid
                        rows={d.delays}
                        rowKey={(x) => x.at + x.reason}
                        columns={[
                          { title: t("day.why"), render: (x) => t(`delay.${x.reason}`) },
                          { title: t("day.minutes"), render: (x) => x.minutes, right: true },
                          { title: t("handover.note"), render: (x) => x.note },
                        ]}
                      />
                    </>
                  )}
                  {d.waiting.length > 0 && (
                    <>
                      <h2 className="above">{t("day.waiting")}</h2>
                      <ul className="checks">
                        {d.waiting.slice(0, 20).map((w) => (
                          <li key={w.endId}>
                            <Link className="address" to={`/handover/${w.endId}`}>
                              {w.address}
                            </Link>
                            {t(`status.${w.status}`)}
                          </li>
                        ))}
                      </ul>
                      {d.waiting.length > 20 && (
                        <p className="faint">{t("handOver.andMore", { count: d.waiting.length - 20 })}</p>
                      )}
                    </>
                  )}
                </section>
                <section className="card" aria-label={t("day.photos")}>
                  <div className="row between">
                    <h2>{t("day.photos")}</h2>
                    <PhotoTake of={{ jobId }} />
                  </div>
                  {d.photos.length === 0 ? (
                    <p className="faint">{t("day.noPhotos")}</p>
                  ) : (
                    <div className="row shelf">
                      {d.photos.map((id) => (
                        <a key={id} href={`/api/pictures/${id}`} target="_blank" rel="noreferrer">
                          <img src={`/api/pictures/${id}`} alt={t("day.photo")} loading="lazy" />
                        </a>
                      ))}
                    </div>
                  )}
                </section>
              </>
            )}
          </Await>
          {role === "office" && <Progress jobId={jobId} />}
        </>
      )}
    </Await>
  );
}

const hour = (iso: string, timeZone: string) =>
  new Intl.DateTimeFormat("en-GB", { timeStyle: "short", timeZone }).format(new Date(iso));
