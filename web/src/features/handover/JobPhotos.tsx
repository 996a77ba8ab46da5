import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { PhotoShelf } from "../../domain/PhotoShelf";
import { placesOf } from "../../domain/places";

/** Photos of the site and of each panel; the paper takes them where that is chosen. */
export function JobPhotos({ job }: { job: S["JobDetail"] }) {
  const { t } = useTranslation();
  const { jobId, timeZone } = job.job;
  return (
    <details className="card">
      <summary>
        <b>{t("photo.title")}</b>
      </summary>
      <p className="faint">{t("photo.text")}</p>
      <PhotoShelf of={{ jobId }} name={t("photo.site")} timeZone={timeZone} />
      {placesOf(job)
        .filter((p) => !p.jumper)
        .map((p) => (
          <PhotoShelf key={p.placeId} of={{ panelId: p.placeId }} name={p.label} timeZone={timeZone} />
        ))}
    </details>
  );
}
