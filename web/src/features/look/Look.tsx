import { App, Button, InputNumber, Segmented } from "antd";
import { useLiveQuery } from "dexie-react-hooks";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { S } from "../../api/client";
import { useEnd, useLimits } from "../../api/hooks";
import { DecisionCard } from "../../domain/DecisionCard";
import { EndPick } from "../../domain/EndPick";
import { NextInQueue, Queue } from "../../domain/Queue";
import { StatusMark } from "../../domain/Verdict";
import { VerdictText } from "../../domain/VerdictText";
import { isOpen } from "../../engine/project";
import { db } from "../../offline/db";
import { useLedger, usePendingFiles } from "../../offline/useLedger";
import { Await, Nothing, StrandName } from "../../ui/Parts";
import { CleaveLook } from "./CleaveLook";
import { LightLook } from "./LightLook";
import { kinds, PictureLook } from "./PictureLook";
import { useJudgedFace } from "./useJudgedFace";
import { ZoneMap } from "./ZoneMap";

const hows = ["picture", "eye", "cleave", "light"] as const;

/** What an end shows: its face from a picture or by eye, its cleave, the red light; Core judges each. */
export default function Look() {
  const { t } = useTranslation();
  const { endId } = useParams();
  const navigate = useNavigate();
  const end = useEnd(endId);
  return (
    <>
      <h1>{t("look.title")}</h1>
      <div className="card row">
        <EndPick
          status={["to-look", "needs-decision", "to-measure", "at-bench"]}
          label={t("look.choose")}
          value={endId}
          onChange={(id) => navigate(`/look/${id}`)}
        />
        <span className="caution faint">{t("caution.light")}</span>
      </div>
      {endId ? (
        <Await of={end}>
          {(e) => (
            <>
              <Face key={e.endId} end={e} />
              <p className="noprint">
                <NextInQueue status={["to-look"]} room="look" at={e} />
              </p>
            </>
          )}
        </Await>
      ) : (
        <Queue status={["to-look"]} room="look" />
      )}
    </>
  );
}

function Face({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const limits = useLimits();
  const [zone, setZone] = useState<S["Zone"]>("A");
  const [kind, setKind] = useState<(typeof kinds)[number]>("particle");
  const [sizeUm, setSize] = useState<number | null>(5);
  const [count, setCount] = useState<number | null>(1);
  const [findings, find] = useState<S["Finding"][]>([]);
  // What was recorded stays on screen until something else is seen.
  const [recorded, setRecorded] = useState(false);
  const setFindings = (next: S["Finding"][]) => {
    setRecorded(false);
    find(next);
  };
  const attempt = end.state.attempts.filter(isOpen).at(-1);
  const set = limits.data?.endFace.find((s) => s.id === end.faceLimitSetId);
  const verdict = useJudgedFace(end, { findings });
  const table = set?.classes.find((c) => c.class === end.endFaceClass);
  const running = attempt?.acceptedAt === null && attempt.position.outcome !== "finished";
  const [asked, setHow] = useSearchParams();
  const how = asked.get("how") ?? (running ? (attempt.cleaves > 0 && end.lightRule ? "light" : "cleave") : "picture");
  const photoId = asked.get("photo");
  const face = how === "picture" || how === "eye";
  const ready = attempt?.position.outcome === "finished" && attempt.acceptedAt === null;
  const save = async () => {
    if (!attempt) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "inspected",
      body: { runId: attempt.runId, findings, note: null, photoId },
    });
    if (done.ok) {
      message.success(t("look.saved"));
      setFindings([]);
      setRecorded(true);
      if (photoId) setHow({ how: "eye" }, { replace: true });
    }
  };
  return (
    <>
      <div className="row below">
        <b>{end.address}</b>
        <StrandName strand={end.strand} />
        <StatusMark status={end.state.status ?? "planned"} verdict={end.state.verdict ?? "none"} />
        <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
        <span className="grow" />
        {attempt && attempt.acceptedAt === null && (
          <Segmented
            aria-label={t("look.how")}
            options={hows.map((h) => ({ value: h, label: t(`look.how-${h}`) }))}
            value={how}
            onChange={(h) => setHow({ how: h }, { replace: true })}
          />
        )}
      </div>
      {attempt && attempt.acceptedAt === null && how === "cleave" && (
        <CleaveLook key={attempt.runId} end={end} attempt={attempt} />
      )}
      {attempt && attempt.acceptedAt === null && how === "light" && (
        <LightLook key={attempt.runId} end={end} attempt={attempt} />
      )}
      {!attempt || attempt.acceptedAt !== null || (face && !ready) ? (
        <Nothing
          text={t(
            end.state.status === "accepted" ? "bench.accepted" : face && running ? "look.notFinished" : "look.none",
          )}
        />
      ) : (
        how === "picture" && (
          <PictureLook
            key={attempt.runId}
            end={end}
            attempt={attempt}
            onPending={(photo) => setHow({ how: "eye", photo }, { replace: true })}
          />
        )
      )}
      {ready && how === "eye" && (
        <div className="bench">
          <section className="card">
            {photoId && <PendingPhoto id={photoId} />}
            <p className="faint">{t("look.tapZone")}</p>
            {table && <ZoneMap zones={table.zones} value={zone} onChange={setZone} findings={findings} />}
            <div className="row">
              <Segmented
                aria-label={t("look.zone")}
                options={(["A", "B", "C", "D"] as const).map((z) => ({ value: z, label: t(`look.zone${z}`) }))}
                value={zone}
                onChange={setZone}
              />
            </div>
            <div className="row apart">
              <Segmented
                aria-label={t("look.kind")}
                options={kinds.map((k) => ({ value: k, label: t(`finding.${k}`) }))}
                value={kind}
                onChange={setKind}
              />
            </div>
            <div className="row">
              <label>
                <div className="faint">{t(kind === "scratch" ? "look.width" : "look.size")}</div>
                <InputNumber min={0.1} max={250} step={0.5} value={sizeUm} onChange={setSize} />
              </label>
              <label>
                <div className="faint">{t("look.count")}</div>
                <InputNumber min={1} max={999} precision={0} value={count} onChange={setCount} />
              </label>
              <Button
                size="large"
                disabled={!sizeUm || !count}
                onClick={() => setFindings([...findings, { zone, kind, sizeUm: sizeUm ?? 0, count: count ?? 1 }])}
              >
                {t("look.addFinding")}
              </Button>
            </div>
          </section>
          <aside className="hand">
            <h2>
              {t("look.findings")} · {t("look.class")} {end.endFaceClass.toUpperCase().replace("-", " ")}
            </h2>
            {findings.length === 0 && <p>{t("look.clean")}</p>}
            <ul className="list">
              {findings.map((f, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: findings may be alike
                <li key={i} className="row between">
                  <span>
                    {f.zone} · {t(`finding.${f.kind}`)} · {f.sizeUm} µm{(f.count ?? 1) > 1 ? ` × ${f.count}` : ""}
                  </span>
                  <Button
                    aria-label={`${t("app.remove")} ${i + 1}`}
                    onClick={() => setFindings(findings.filter((_, n) => n !== i))}
                  >
                    {t("app.remove")}
                  </Button>
                </li>
              ))}
            </ul>
            {recorded && attempt.inspection ? (
              <>
                <p className="faint">{t("look.asRecorded")}</p>
                <VerdictText verdict={attempt.inspection.verdict} />
              </>
            ) : (
              <Await of={verdict}>{(v) => <VerdictText verdict={v.verdict} />}</Await>
            )}
            <div className="answers">
              <button type="button" className="main" onClick={save}>
                {t("look.save")}
              </button>
            </div>
          </aside>
        </div>
      )}
      {attempt && ready && (end.state.status === "needs-decision" || attempt.inspection) && (
        <DecisionCard key={`decide ${attempt.runId}`} end={end} />
      )}
    </>
  );
}

/** A picture that this device keeps until there is a signal. */
function PendingPhoto({ id }: { id: string }) {
  const { t } = useTranslation();
  const pending = usePendingFiles().includes(id);
  const file = useLiveQuery(() => db.files.get(id), [id]);
  const [url, setUrl] = useState<string>();
  useEffect(() => {
    if (!file) return;
    const made = URL.createObjectURL(new Blob([file.bytes], { type: file.type }));
    setUrl(made);
    return () => URL.revokeObjectURL(made);
  }, [file]);
  return (
    <figure>
      <figcaption className="tone-doubtful">{t(pending ? "look.pending" : "look.arrived")}</figcaption>
      {(url || !pending) && (
        <img className="evidence" src={url ?? `/api/pictures/${id}`} alt={t("look.pendingPicture")} />
      )}
    </figure>
  );
}
