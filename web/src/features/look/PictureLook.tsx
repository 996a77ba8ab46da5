import { App, Button, InputNumber, Segmented, Select, Switch } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useLimits } from "../../api/hooks";
import { bare, FaceMap, isLine, type Mark, type Place, sizeOf } from "../../domain/FaceMap";
import { useUpload } from "../../domain/useUpload";
import { VerdictText } from "../../domain/VerdictText";
import { useLedger } from "../../offline/useLedger";
import { Camera } from "../../ui/Camera";
import { FilePick, pictures } from "../../ui/FilePick";
import { Await } from "../../ui/Parts";
import { useJudgedFace } from "./useJudgedFace";

export const kinds = ["scratch", "particle", "residue", "pit", "chip", "crack"] as const;
type Kind = (typeof kinds)[number];
/** The end face from a picture: what the program finds, what the person makes of it, graded by Core as it changes. */
export function PictureLook(props: {
  end: S["EndView"];
  attempt: S["AttemptState"];
  /** A picture was taken with no signal: it is kept, and judged by eye. */
  onPending: (pictureId: string) => void;
}) {
  const { end, attempt, onPending } = props;
  const { t } = useTranslation();
  const { message } = App.useApp();
  const send = useUpload(end.endId);
  const tell = useLedger();
  const limits = useLimits();
  const set = limits.data?.endFace.find((s) => s.id === end.faceLimitSetId);
  const [busy, setBusy] = useState(false);
  const [taken, setTaken] = useState<S["PictureTaken"] | null>(null);
  const [marks, setMarks] = useState<Mark[]>([]);
  const [chosen, setChosen] = useState<number | null>(null);
  const [adding, setAdding] = useState<Kind | null>(null);
  const [begun, setBegun] = useState<Place | null>(null);
  const [sizeUm, setSize] = useState(4);
  const [overlay, setOverlay] = useState(true);
  const answer = taken?.answer;
  const verdict = useJudgedFace(end, { seen: marks }, !!answer?.gradable);
  const before = attempt.looks.filter((l) => l.picture).at(-1)?.picture;
  const read = async (file: Blob) => {
    setBusy(true);
    const next = await send<S["PictureTaken"]>("pictures", { besideId: before?.pictureId }, file, onPending);
    setBusy(false);
    if (!next) return;
    setTaken(next);
    setMarks(next.answer.findings.map((f) => bare(f as Mark)));
    setChosen(null);
  };
  const pick = (place: Place, mark: number | null) => {
    if (!adding) {
      setChosen(mark);
      return;
    }
    if (adding !== "scratch") {
      setMarks([...marks, { ...nothing, kind: adding, xUm: place.xUm, yUm: place.yUm, diameterUm: sizeUm }]);
      setChosen(marks.length);
      setAdding(null);
    } else if (!begun) setBegun(place);
    else {
      setMarks([
        ...marks,
        {
          ...nothing,
          kind: "scratch",
          x0Um: begun.xUm,
          y0Um: begun.yUm,
          x1Um: place.xUm,
          y1Um: place.yUm,
          widthUm: sizeUm,
        },
      ]);
      setChosen(marks.length);
      setBegun(null);
      setAdding(null);
    }
  };
  const remove = (i: number) => {
    setMarks((old) => old.filter((_, n) => n !== i));
    setChosen(null);
  };
  useEffect(() => {
    if (chosen === null) return;
    const press = (e: KeyboardEvent) => {
      if (e.key !== "Delete" || (e.target as HTMLElement).closest("input,textarea,[role=combobox]")) return;
      setMarks((old) => old.filter((_, n) => n !== chosen));
      setChosen(null);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [chosen]);
  const change = (i: number, next: Mark) => setMarks(marks.map((m, n) => (n === i ? next : m)));
  const save = async () => {
    if (!taken || !answer) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "inspected",
      body: {
        runId: attempt.runId,
        findings: [],
        note: null,
        picture: {
          pictureId: taken.pictureId,
          widthPx: answer.widthPx,
          heightPx: answer.heightPx,
          umPerPx: answer.umPerPx,
          centreXPx: answer.centreXPx,
          centreYPx: answer.centreYPx,
          claddingDiameterPx: answer.claddingDiameterPx,
          automatic: answer.findings.map((f) => bare(f as Mark)),
          final: marks,
        },
      },
    });
    if (done.ok) {
      message.success(t("look.saved"));
      setTaken(null);
      setMarks([]);
    }
  };
  const table = set?.classes.find((c) => c.class === end.endFaceClass);
  const decisive = verdict.data?.verdict.decidedBy.flatMap((b) => b.findings) ?? [];
  const picture = answer?.gradable && taken ? placed(taken.pictureId, answer) : null;
  return (
    <div className="bench">
      <section className="card">
        <div className="row">
          <FilePick
            label={t(taken ? "look.anotherPicture" : "look.takePicture")}
            accept={pictures}
            first={!taken}
            busy={busy}
            onFile={read}
          />
          <Camera label={t("camera.open")} onTake={read} />
          {picture && (
            <label className="row">
              <Switch checked={overlay} onChange={setOverlay} aria-label={t("look.overlay")} /> {t("look.overlay")}
            </label>
          )}
        </div>
        {!taken && <p className="faint">{t("look.pictureHint")}</p>}
        {answer && !answer.gradable && (
          <div role="alert">
            <p className="tone-doubtful">
              <b>{t("look.notGradable")}</b>
            </p>
            <p>{answer.reasonText}</p>
          </div>
        )}
        <div className={before && picture ? "pair" : ""}>
          {before && table && (
            <figure>
              <figcaption>
                {taken?.turnDeg && Math.abs(taken.turnDeg) >= 1
                  ? t("look.beforeTurned", { deg: taken.turnDeg.toFixed(0) })
                  : t("look.before")}
              </figcaption>
              <FaceMap
                picture={before}
                zones={table.zones}
                marks={before.final}
                overlay={overlay}
                turnDeg={picture ? (taken?.turnDeg ?? 0) : 0}
                label={t("look.before")}
              />
            </figure>
          )}
          {picture && table && (
            <figure>
              {before && <figcaption>{t("look.now")}</figcaption>}
              <FaceMap
                picture={picture}
                zones={table.zones}
                marks={marks}
                decisive={decisive}
                chosen={chosen}
                begun={begun}
                overlay={overlay}
                label={t("look.pictureOf", { end: end.address })}
                onPick={pick}
              />
            </figure>
          )}
        </div>
        {picture && (
          <div className="row">
            <Segmented
              aria-label={t("look.add")}
              options={[
                { value: "", label: t("look.pickMode") },
                ...kinds.map((k) => ({ value: k, label: `+ ${t(`finding.${k}`)}` })),
              ]}
              value={adding ?? ""}
              onChange={(v) => {
                setAdding((v || null) as Kind | null);
                setBegun(null);
              }}
            />
            <label>
              <div className="faint">{t(adding === "scratch" ? "look.width" : "look.size")}</div>
              <InputNumber min={0.1} max={250} step={0.5} value={sizeUm} onChange={(v) => setSize(v ?? 4)} />
            </label>
            {adding && (
              <span className="faint">
                {t(adding === "scratch" ? (begun ? "look.tapEnd" : "look.tapStart") : "look.tapCentre")}
              </span>
            )}
          </div>
        )}
        {answer?.gradable && (
          <p className="faint">
            {t("look.scale", {
              scale: (answer.umPerPx ?? 0).toFixed(3),
              px: (answer.claddingDiameterPx ?? 0).toFixed(0),
              blur: (answer.blurPx ?? 0).toFixed(1),
            })}
            {answer.contactCut ? ` ${t("look.contactCut")}` : ""}
          </p>
        )}
      </section>
      <aside className="hand">
        <h2>
          {t("look.findings")} · {t("look.class")} {end.endFaceClass.toUpperCase().replace("-", " ")}
        </h2>
        {!picture && <p className="faint">{t("look.noPicture")}</p>}
        {picture && marks.length === 0 && <p>{t("look.clean")}</p>}
        <ol className="list marks">
          {marks.map((m, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a finding has no other name than its place in the list
            <li key={i} className={chosen === i ? "chosen" : ""}>
              <button
                type="button"
                className="plain"
                onClick={() => setChosen(chosen === i ? null : i)}
                aria-expanded={chosen === i}
              >
                <b>{i + 1}</b> {t(`finding.${m.kind}`)} · {sizeOf(m).toFixed(1)} µm
                {verdict.data?.findings[i]?.zone ? ` · ${verdict.data.findings[i]?.zones.join(" ")}` : ""}
                {decisive.includes(i) && <span className="tone-bad"> · {t("look.decides")}</span>}
              </button>
              {chosen === i && (
                <div className="row">
                  <Select
                    aria-label={t("look.kind")}
                    className="w-s"
                    value={m.kind as Kind}
                    onChange={(kind) => change(i, { ...m, kind })}
                    options={kinds
                      .filter((k) => (k === "scratch") === isLine(m))
                      .map((k) => ({ value: k, label: t(`finding.${k}`) }))}
                  />
                  <InputNumber
                    aria-label={t("look.size")}
                    min={0.1}
                    max={250}
                    step={0.5}
                    value={Math.round(sizeOf(m) * 10) / 10}
                    onChange={(v) => v && change(i, isLine(m) ? { ...m, widthUm: v } : { ...m, diameterUm: v })}
                  />
                  <Button onClick={() => remove(i)}>{t("app.remove")}</Button>
                </div>
              )}
            </li>
          ))}
        </ol>
        {picture && <Await of={verdict}>{(v) => <VerdictText verdict={v.verdict} />}</Await>}
        <div className="answers">
          <button type="button" className="main" onClick={save} disabled={!picture}>
            {t("look.save")}
          </button>
        </div>
      </aside>
    </div>
  );
}

const nothing: Mark = {
  kind: "particle",
  xUm: null,
  yUm: null,
  diameterUm: null,
  x0Um: null,
  y0Um: null,
  x1Um: null,
  y1Um: null,
  widthUm: null,
};

const placed = (pictureId: string, a: S["FaceAnswer"]) => ({
  pictureId,
  widthPx: a.widthPx,
  heightPx: a.heightPx,
  umPerPx: a.umPerPx ?? 1,
  centreXPx: a.centreXPx ?? 0,
  centreYPx: a.centreYPx ?? 0,
});
