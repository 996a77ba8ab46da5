import { App, Button, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { useLedger } from "../../../offline/useLedger";
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
  const say = async (reason: S["BlockReason"]) => {
    // Folded at once: a second tap while the list is still on its way would say it twice.
    setOpen(false);
    const body = { reason, placeId: panel?.placeId ?? null, note: note.trim() || null };
    if (!(await tell({ stream: "job", streamId: job.jobId, kind: "blocked", body })).ok) return;
    message.success(t("block.said", { reason: t(`block.${reason}`) }));
    setNote("");
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
        <Button size="large" disabled={!note.trim()} onClick={() => say("other")}>
          {t("block.other")}
        </Button>
      </div>
    </details>
  );
}
