import { App, Button, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { v7 as uuid7 } from "uuid";
import type { S } from "../../../api/client";
import { keepFile, NotKept } from "../../../offline/outbox";
import { useLedger } from "../../../offline/useLedger";
import { FilePick, photos } from "../../../ui/FilePick";
import { siteTime } from "../../../ui/settings";

const REASONS = ["no-access", "cable-not-pulled", "no-power", "damaged-by-others", "waiting-for-parts"] as const;

/** What stands in the way of a job now; another tap lifts it. */
export function Blocks({ job, blocks }: { job: S["Job"]; blocks: S["Block"][] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const lift = (eventId: string) =>
    tell({ stream: "job", streamId: job.jobId, kind: "block-lifted", body: { eventId, note: null } });
  return (
    <ul className="list">
      {blocks.map((b) => (
        <li key={b.eventId} className="row middle">
          <b className="tone-doubtful">{t(`block.${b.reason}`)}</b>
          <span className="faint">
            {[b.note, t("block.since", { time: siteTime(b.at, job.timeZone) })].filter(Boolean).join(" · ")}
          </span>
          {b.photoId && (
            <a href={`/api/pictures/${b.photoId}`} target="_blank" rel="noreferrer">
              {t("block.photo")}
            </a>
          )}
          <Button onClick={() => lift(b.eventId)}>{t("block.lift")}</Button>
        </li>
      ))}
    </ul>
  );
}

/** One tap says what stands in the way, of a job or of one panel. */
export function CannotBegin({ job, panel }: { job: S["Job"]; panel?: S["TodayPanel"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const [note, setNote] = useState("");
  const [open, setOpen] = useState(false);
  const [photo, setPhoto] = useState<Blob>();
  const say = async (reason: S["BlockReason"]) => {
    // Folded at once: a second tap while the list is still on its way would say it twice.
    setOpen(false);
    const photoId = photo ? uuid7() : null;
    const body = { reason, placeId: panel?.placeId ?? null, note: note.trim() || null, photoId };
    try {
      // Kept on this device first: the photo goes before what names it, with a signal or later.
      if (photo && photoId) await keepFile(photoId, `/api/jobs/${job.jobId}/pictures?id=${photoId}`, photo, job.jobId);
    } catch (e) {
      if (!(e instanceof NotKept)) throw e;
      message.error(t("app.notKept"), 8);
      return;
    }
    if (!(await tell({ stream: "job", streamId: job.jobId, kind: "blocked", body })).ok) return;
    message.success(t("block.said", { reason: t(`block.${reason}`) }));
    setNote("");
    setPhoto(undefined);
  };
  return (
    <details className="above thumb" open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary>
        {t("block.ask")}{" "}
        <span className="faint">
          {panel ? t("block.here", { place: panel.place }) : t("block.ofJob", { job: job.customer })}
        </span>
      </summary>
      <div className="row">
        {REASONS.map((r) => (
          <Button key={r} size="large" onClick={() => say(r)}>
            {t(`block.${r}`)}
          </Button>
        ))}
      </div>
      <div className="row middle above">
        <Input
          className="w-l"
          aria-label={t("block.note")}
          placeholder={t("block.note")}
          maxLength={500}
          value={note}
          onChange={(e) => setNote(e.target.value)}
        />
        <FilePick
          label={t(photo ? "block.photoTaken" : "block.takePhoto")}
          accept={photos}
          first={false}
          busy={false}
          onFile={setPhoto}
        />
        <Button size="large" disabled={!note.trim()} onClick={() => say("other")}>
          {t("block.other")}
        </Button>
      </div>
    </details>
  );
}
