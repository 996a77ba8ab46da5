import { App } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { CleaveText } from "../../domain/CleaveText";
import { useUpload } from "../../domain/useUpload";
import { useLedger } from "../../offline/useLedger";
import { Camera } from "../../ui/Camera";
import { FilePick, pictures } from "../../ui/FilePick";

/** A cleave from the side: its angle, lip, chip and hackle, judged by the method before the next strip is lost. */
export function CleaveLook({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const send = useUpload(end.endId);
  const tell = useLedger();
  const [busy, setBusy] = useState(false);
  const [taken, setTaken] = useState<S["CleaveTaken"] | null>(null);
  const read = async (file: Blob) => {
    setBusy(true);
    const next = await send<S["CleaveTaken"]>("cleaves", {}, file);
    setBusy(false);
    if (next) setTaken(next);
  };
  const answer = taken?.answer;
  const { view, verdict } = answer ?? {};
  const save = async () => {
    if (!taken || !view || !verdict) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "cleave-seen",
      body: {
        runId: attempt.runId,
        pictureId: taken.pictureId,
        umPerPx: answer?.umPerPx,
        view,
        note: null,
      },
    });
    if (done.ok) {
      message.success(t("look.saved"));
      setTaken(null);
    }
  };
  return (
    <div className="bench">
      <section className="card">
        <div className="row">
          <FilePick label={t("cleave.take")} accept={pictures} first={!taken} busy={busy} onFile={read} />
          <Camera label={t("camera.open")} onTake={read} />
        </div>
        <p className="faint">{t("cleave.hint")}</p>
        {taken && <img className="evidence" src={`/api/pictures/${taken.pictureId}`} alt={t("cleave.take")} />}
        {answer && !answer.gradable && (
          <p role="alert" className="tone-doubtful">
            {answer.reasonText}
          </p>
        )}
        <p className="faint">
          {t("cleave.kept", {
            count: attempt.cleavesSeen.length,
            bad: attempt.cleavesSeen.filter((c) => !c.verdict.pass).length,
          })}
        </p>
      </section>
      <aside className="hand">
        <h2>{t("look.cleave")}</h2>
        {view && verdict ? (
          <CleaveText view={view} verdict={verdict} />
        ) : (
          <p className="faint">{t("look.noPicture")}</p>
        )}
        <div className="answers">
          <button type="button" className="main" onClick={save} disabled={!view}>
            {t("cleave.save")}
          </button>
        </div>
        <p className="caution faint">{t("caution.glass")}</p>
      </aside>
    </div>
  );
}
