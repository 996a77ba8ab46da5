import { Button } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";

type Running = { startedAt: number; endsAt: number };

const stored = <T,>(key: string): T | null => JSON.parse(localStorage.getItem(key) ?? "null");

/** A timer kept as the time it ends at, so that it runs through sleep and reload. */
export function useTimer(key: string, durationS?: number) {
  const name = `rhabdon.timer.${key}`;
  const [running, setRunning] = useState<Running | null>(() => stored<Running>(name));
  const [now, setNow] = useState(Date.now);
  useEffect(() => setRunning(stored<Running>(name)), [name]);
  useEffect(() => {
    if (!running) return;
    const tick = setInterval(() => setNow(Date.now()), 200);
    return () => clearInterval(tick);
  }, [running]);
  const leftS = running ? Math.max(0, Math.ceil((running.endsAt - now) / 1000)) : null;
  const up = running !== null && leftS === 0;
  useEffect(() => {
    if (up) ring();
  }, [up]);
  return {
    leftS,
    up,
    runs: running !== null && !up,
    start: () => {
      if (running || durationS === undefined) return;
      const startedAt = Date.now();
      const next = { startedAt, endsAt: startedAt + durationS * 1000 };
      localStorage.setItem(name, JSON.stringify(next));
      setNow(startedAt);
      setRunning(next);
    },
    elapsedS: () => (running ? Math.round((Date.now() - running.startedAt) / 100) / 10 : null),
    clear: () => {
      localStorage.removeItem(name);
      setRunning(null);
    },
  };
}

/** A count of strokes that survives a reload. */
export function useCount(key: string) {
  const name = `rhabdon.count.${key}`;
  const [value, setValue] = useState(() => stored<number>(name) ?? 0);
  useEffect(() => setValue(stored<number>(name) ?? 0), [name]);
  const put = (n: number) => {
    localStorage.setItem(name, String(n));
    setValue(n);
  };
  return {
    value,
    add: () => put(value + 1),
    less: () => put(Math.max(0, value - 1)),
    clear: () => {
      localStorage.removeItem(name);
      setValue(0);
    },
  };
}

/** Two short tones; silent where the device does not allow sound. */
function ring() {
  try {
    const audio = new AudioContext();
    for (const at of [0, 0.35]) {
      const tone = audio.createOscillator();
      tone.frequency.value = 880;
      tone.connect(audio.destination);
      tone.start(audio.currentTime + at);
      tone.stop(audio.currentTime + at + 0.2);
    }
  } catch {
    // no sound on this device; the flash remains
  }
}

export function Clock({ timer, spec }: { timer: ReturnType<typeof useTimer>; spec: S["StepTimer"] }) {
  const { t } = useTranslation();
  const left = timer.leftS ?? spec.durationS;
  const text = `${Math.floor(left / 60)}:${String(Math.round(left % 60)).padStart(2, "0")}`;
  return (
    <div style={{ margin: "12px 0" }}>
      <div className={timer.up ? "clock up" : "clock"} role="timer" aria-label={spec.label}>
        {text}
      </div>
      {timer.up ? (
        <b role="status">{t("bench.ready")}</b>
      ) : timer.runs ? (
        <span className="faint">{t("bench.running")}</span>
      ) : (
        <Button size="large" onClick={timer.start}>
          {t("bench.startTimer", { label: spec.label })} (Space)
        </Button>
      )}
    </div>
  );
}

export function Strokes({ count, spec }: { count: ReturnType<typeof useCount>; spec: S["StepCount"] }) {
  const { t } = useTranslation();
  return (
    <div style={{ margin: "12px 0" }}>
      <div className="row" style={{ alignItems: "center" }}>
        <span className="clock" role="status">
          {count.value}
        </span>
        <Button size="large" className="dialbtn" onClick={count.add}>
          {t("bench.stroke")} (Space)
        </Button>
        <Button size="large" className="dialbtn" aria-label="−1" onClick={count.less}>
          −1
        </Button>
      </div>
      <span className={count.value > spec.max ? "tone-bad" : "faint"}>
        {count.value > spec.max
          ? t("bench.over", { max: spec.max })
          : t("bench.strokeOf", { count: count.value, min: spec.min, max: spec.max })}{" "}
        {spec.what}
        {spec.pacePerS !== null && ` · ${t("bench.pace", { pace: spec.pacePerS })}`}
      </span>
    </div>
  );
}
