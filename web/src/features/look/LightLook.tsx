import { App, Button, Segmented, Select } from "antd";
import { type PointerEvent, useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { query, type S, upload } from "../../api/client";
import { useKnown } from "../../api/hooks";
import { LightText } from "../../domain/LightText";
import { useLedger } from "../../offline/useLedger";
import { FilePick, photos as kinds } from "../../ui/FilePick";
import { useFault } from "../../ui/Parts";

type Window = S["LightWindow"];
type Rule = NonNullable<S["LightRule"]>;

/** The red light by the connector's rule: what the eye saw, and two photos that tell the share of light, where someone took them. */
export function LightLook({ end, attempt }: { end: S["EndView"]; attempt: S["AttemptState"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const fault = useFault();
  const tell = useLedger();
  const lights = useKnown().data?.lights ?? [];
  // Where the procedure judges none, the person says by which rule.
  const [rule, setRule] = useState<Rule>(end.lightRule ?? "clearly-dimmer");
  const [seen, setSeen] = useState<S["LightSeen"] | null>(null);
  const [before, setBefore] = useState<Blob | null>(null);
  const [after, setAfter] = useState<Blob | null>(null);
  const [window, setWindow] = useState<Window | null>(null);
  const [busy, setBusy] = useState(false);
  const [answer, setAnswer] = useState<S["LightAnswer"] | null>(null);
  const photos = !!before && !!after && !!window;
  const compare = async () => {
    if (!photos) return;
    setBusy(true);
    try {
      const form = new FormData();
      form.set("before", before);
      form.set("after", after);
      const next = await upload<S["LightAnswer"]>(`/api/ends/${end.endId}/red-light${query({ ...window })}`, form);
      setAnswer(next);
      if (next.says && rule !== "lamp" && !seen) setSeen(next.says);
    } catch (e) {
      fault(e);
    } finally {
      setBusy(false);
    }
  };
  const save = async () => {
    if (!seen) return;
    const done = await tell({
      endId: end.endId,
      attempt: attempt.no,
      kind: "light-judged",
      body: { runId: attempt.runId, rule, seen, photos: answer?.photos ?? null, note: null },
    });
    if (done.ok) {
      message.success(t("look.saved"));
      setSeen(null);
      setAnswer(null);
      setBefore(null);
      setAfter(null);
      setWindow(null);
    }
  };
  const last = attempt.lights.at(-1);
  const draw = (w: Window | null) => {
    setWindow(w);
    setAnswer(null);
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
              setAnswer(null);
            }}
          />
          <Button
            size="large"
            type={photos && !answer ? "primary" : "default"}
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
