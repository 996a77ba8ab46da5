import { Button, Switch } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

const ACTIONS = ["done", "answer1", "answer2", "answer3", "answer4", "next"] as const;
export type Taught = (typeof ACTIONS)[number];

const KEYS = "rhabdon.taught";
const ALOUD = "rhabdon.aloud";

const kept = (): Record<string, Taught> => {
  try {
    return JSON.parse(localStorage.getItem(KEYS) ?? "{}");
  } catch {
    return {};
  }
};

/** What a clicker's or a pedal's key was taught to do. */
export const taught = (key: string): Taught | undefined => kept()[key];

/** A voice that this device has itself: nothing of the work goes to somebody's server. */
const localVoice = () => globalThis.speechSynthesis?.getVoices().find((v) => v.localService);

function say(text: string) {
  const voice = localVoice();
  if (!voice || localStorage.getItem(ALOUD) !== "on") return;
  const words = new SpeechSynthesisUtterance(text);
  words.voice = voice;
  speechSynthesis.cancel();
  speechSynthesis.speak(words);
}

/** Reads the act on the card, and each timer that is up, where somebody switched that on. */
export function useAloud(act: string, up: string[]) {
  useEffect(() => {
    if (act) say(act);
  }, [act]);
  const ended = up.join(". ");
  useEffect(() => {
    if (ended) say(ended);
  }, [ended]);
}

/** Teaches clickers and pedals, and switches the voice on. */
export function HandsFree() {
  const { t } = useTranslation();
  const [keys, setKeys] = useState(kept);
  const [asking, ask] = useState<Taught | null>(null);
  const [aloud, setAloud] = useState(localStorage.getItem(ALOUD) === "on");
  const keep = (next: Record<string, Taught>) => {
    localStorage.setItem(KEYS, JSON.stringify(next));
    setKeys(next);
  };
  useEffect(() => {
    if (!asking) return;
    const press = (e: KeyboardEvent) => {
      e.preventDefault();
      e.stopPropagation();
      const others = Object.entries(kept()).filter(([key, a]) => key !== e.key && a !== asking);
      const next = { ...Object.fromEntries(others), ...(e.key === "Escape" ? {} : { [e.key]: asking }) };
      localStorage.setItem(KEYS, JSON.stringify(next));
      setKeys(next);
      ask(null);
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [asking]);
  const voice = localVoice() !== undefined;
  return (
    <details className="above">
      <summary>{t("bench.teach")}</summary>
      <p className="faint">{t("bench.teachHint")}</p>
      <div className="row">
        {ACTIONS.map((a) => {
          const key = Object.keys(keys).find((k) => keys[k] === a);
          return (
            <Button key={a} type={asking === a ? "primary" : "default"} onClick={() => ask(asking === a ? null : a)}>
              {asking === a ? t("bench.teachPress") : t(`bench.teach-${a}`)} {key && <kbd>{key}</kbd>}
            </Button>
          );
        })}
        {Object.keys(keys).length > 0 && <Button onClick={() => keep({})}>{t("bench.teachForget")}</Button>}
      </div>
      <label className="row middle above">
        <Switch
          checked={aloud && voice}
          disabled={!voice}
          aria-label={t("bench.aloud")}
          onChange={(on) => {
            localStorage.setItem(ALOUD, on ? "on" : "off");
            setAloud(on);
          }}
        />
        {t(voice ? "bench.aloud" : "bench.aloudNone")}
      </label>
    </details>
  );
}
