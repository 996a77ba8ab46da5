import { App, Button, Segmented, Select } from "antd";
import { type PointerEvent, useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { useKnown } from "../../api/hooks";
import { LightText } from "../../domain/LightText";
import { useUpload } from "../../domain/useUpload";
import { useLedger } from "../../offline/useLedger";
import { FilePick, photos as kinds } from "../../ui/FilePick";

type Window = S["LightWindow"];
type Rule = NonNullable<S["LightRule"]>;

/** The red light by the connector's rule: what the eye saw, and two photos that tell the share of light, where someone took them. */
export function LightLook({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const tell = useLedger();
  const lights = useKnown().data?.lights ?? [];
  // Where the procedure judges none, the person says by which rule.
  const [rule, setRule] = useState<Rule>(end.lightRule ?? "clearly-dimmer");
  const [seen, setSeen] = useState<S["LightSeen"] | null>(null);
  const [before, setBefore] = useState<Blob | null>(null);
  const [after, setAfter] = useState<Blob | null>(null);
  const [window, setWindow] = useState<Window | null>(null);
  const [busy, setBusy] = useState(false);
  const send = useUpload(end.endId);
  // Kept, here or with the server: the first photo, and the second with what was read of both.
  const [beforeId, setBeforeId] = useState<string | null>(null);
  const [kept, setKept] = useState<{ afterId: string; window: Window; answer: S["LightAnswer"] | null } | null>(null);
  const answer = kept?.answer;
  const photos = before && after && window;
  const forget = () => {
    setBeforeId(null);
    setKept(null);
  };
  // The second photo rests on the first: with no signal both wait, in that order, and the eye judges meanwhile.
  const compare = async () => {
    if (!photos) return;
    setBusy(true);
    const first = beforeId ?? (await sent("photos", {}, before))?.id;
    if (first) {
      setBeforeId(first);
      const { x0, y0, x1, y1 } = window;
      const second = await sent("red-light", { beforeId: first, x0, y0, x1, y1 }, after);
      if (second) {
        setKept({ afterId: second.id, window, answer: second.answer });
        if (second.answer?.says && rule !== "lamp" && !seen) setSeen(second.answer.says);
      }
    }
    setBusy(false);
  };
  const sent = async (what: "photos" | "red-light", asked: Record<string, string | number>, file: Blob) => {
    let id: string | null | undefined = null;
    const answer = await send<Partial<S["PhotoKept"]> & S["LightAnswer"]>(what, asked, file, (waits) => {
      id = waits;
    });
    id ??= answer?.pictureId ?? answer?.afterId;
    return id ? { id, answer } : null;
  };
  const save = async () => {
    if (!seen) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "light-judged",
      body: {
        runId: attempt.runId,
        rule,
        seen,
        photos: kept && { beforeId, afterId: kept.afterId, window: kept.window },
        note: null,
      },
    });
    if (done.ok) {
      message.success(t("look.saved"));
      setSeen(null);
      setBefore(null);
      setAfter(null);
      setWindow(null);
      forget();
    }
  };
  const last = attempt.lights.at(-1);
  const draw = (w: Window | null) => {
    setWindow(w);
    setKept(null);
  };
  return (
    <div className="bench">
      <section className="card">
        <div className="row">
          <FilePick
            label={t("light.before")}
            accept={kinds}
            first={!before}
            busy={false}
            onFile={(f) => {
              setBefore(f);
              setBeforeId(null);
              draw(null);
            }}
          />
          <FilePick
            label={t("light.after")}
            accept={kinds}
            first={!!before && !after}
            busy={false}
            onFile={(f) => {
              setAfter(f);
              setKept(null);
            }}
          />
          <Button
            size="large"
            type={photos && !kept ? "primary" : "default"}
            disabled={!photos}
            loading={busy}
            onClick={compare}
          >
            {t("light.compare")}
          </Button>
        </div>
        {before && <p>{t("light.draw")}</p>}
        <div className="pair">
          {before && <Photo file={before} name={t("light.before")} window={window} onDraw={draw} />}
          {after && <Photo file={after} name={t("light.after")} window={window} onDraw={draw} />}
        </div>
        <p className="faint">{t("light.hint")}</p>
        {kept && !answer && <p role="status">{t("light.pending")}</p>}
        {answer && (
          <p role="status" className={answer.doubt ? "tone-doubtful" : ""}>
            {answer.ratio != null && (
              <b>{t("light.ratio", { share: (answer.ratio * 100).toFixed(answer.ratio < 0.1 ? 1 : 0) })} </b>
            )}
            {answer.doubt
              ? t(`light.${answer.doubt}`)
              : answer.says && t("light.says", { what: t(`light.${answer.says}`) })}
          </p>
        )}
      </section>
      <aside className="hand">
        <h2>{t("light.title")}</h2>
        <div className="faint">{t("light.rule")}</div>
        <Select
          aria-label={t("light.rule")}
          className="w-full"
          value={rule}
          disabled={!!end.lightRule}
          options={lights.map((l) => ({ value: l.rule, label: t(`light.rule-${l.rule}`) }))}
          onChange={(r) => {
            setRule(r);
            setSeen(null);
          }}
        />
        <p className="faint">{t(end.lightRule ? "light.fromProcedure" : "light.noRule")}</p>
        <Segmented
          vertical
          aria-label={t("light.seen")}
          options={(lights.find((l) => l.rule === rule)?.seen ?? []).map((s) => ({ value: s, label: t(`light.${s}`) }))}
          value={seen ?? ""}
          onChange={(s) => setSeen(s as S["LightSeen"])}
        />
        <div className="answers">
          <button type="button" className="main" onClick={save} disabled={!seen}>
            {t("light.save")}
          </button>
        </div>
        {last && <LightText light={last.judgement} seen={last.seen.seen} />}
        <p className="caution faint">{t("caution.light")}</p>
      </aside>
    </div>
  );
}

/** A photo in which the person draws the window, from one corner to the other; the same window holds in both. */
function Photo(props: { file: Blob; name: string; window: Window | null; onDraw: (w: Window | null) => void }) {
  const { t } = useTranslation();
  const [url, setUrl] = useState("");
  const [from, setFrom] = useState<[number, number] | null>(null);
  useEffect(() => {
    const made = URL.createObjectURL(props.file);
    setUrl(made);
    return () => URL.revokeObjectURL(made);
  }, [props.file]);
  const at = (e: PointerEvent): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    const share = (v: number) => Math.round(Math.min(1, Math.max(0, v)) * 1e4) / 1e4;
    return [share((e.clientX - box.left) / box.width), share((e.clientY - box.top) / box.height)];
  };
  const draw = (e: PointerEvent) => {
    if (!from) return;
    const to = at(e);
    const [x0, x1] = [from[0], to[0]].sort((a, b) => a - b) as [number, number];
    const [y0, y1] = [from[1], to[1]].sort((a, b) => a - b) as [number, number];
    if (x1 - x0 >= 0.005 && y1 - y0 >= 0.005) props.onDraw({ x0, y0, x1, y1 });
  };
  const w = props.window;
  return (
    <figure>
      <figcaption>{props.name}</figcaption>
      <div
        className="photo"
        role="img"
        aria-label={t("light.photo", { name: props.name })}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          setFrom(at(e));
        }}
        onPointerMove={draw}
        onPointerUp={(e) => {
          draw(e);
          setFrom(null);
        }}
      >
        {url && <img src={url} alt="" draggable={false} />}
        {w && (
          <span
            className="window"
            style={{
              left: `${w.x0 * 100}%`,
              top: `${w.y0 * 100}%`,
              width: `${(w.x1 - w.x0) * 100}%`,
              height: `${(w.y1 - w.y0) * 100}%`,
            }}
          />
        )}
      </div>
    </figure>
  );
}
