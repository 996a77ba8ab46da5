import { Button, InputNumber } from "antd";
import { useCallback, useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { v7 as uuid7 } from "uuid";
import type { S } from "../../api/client";

const stored = <T,>(key: string): T | null => {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null");
  } catch {
    return null;
  }
};

/** A count that the person says, which survives a reload. Nothing said is what the procedure says. */
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
    put,
    add: () => put(value + 1),
    less: () => put(Math.max(0, value - 1)),
    clear: () => {
      localStorage.removeItem(name);
      setValue(0);
    },
  };
}

type Sheet = { id: string; total: number; known?: boolean; crewId?: string | null };

/** The sheet of a film that this device polishes on; null where it has begun none. */
export const keptSheet = (film: string) => stored<Sheet>(`rhabdon.sheet.${film}`);

/** The sheet of a film that is in use on this device, and the strokes it has done. */
export function useSheet(film: string | null | undefined, crewId: string | null | undefined) {
  const name = `rhabdon.sheet.${film}`;
  // Another crew's sheet stays theirs, though it was begun on this device.
  const begun = useCallback(() => {
    const kept = stored<Sheet>(name);
    return kept && (!kept.known || kept.crewId === crewId) ? kept : { id: uuid7(), total: 0 };
  }, [name, crewId]);
  const [sheet, setSheet] = useState<Sheet>(begun);
  useEffect(() => setSheet(begun()), [begun]);
  const put = (s: Sheet) => {
    localStorage.setItem(name, JSON.stringify(s));
    setSheet(s);
  };
  return {
    sheet,
    use: (n: number) => put({ ...sheet, total: sheet.total + n, known: true, crewId }),
    fresh: () => put({ id: uuid7(), total: 0 }),
  };
}

let rung = new Set<string>();

/** Rings once for each timer that is up, over all the strands of a batch. */
export function useRinging(up: string[]) {
  const key = up.join();
  useEffect(() => {
    const fresh = key.split(",").filter((k) => k && !rung.has(k));
    if (fresh.length > 0) {
      rung = new Set([...rung, ...fresh]);
      ring();
    }
  }, [key]);
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

export const clockText = (s: number) => `${Math.floor(s / 60)}:${String(Math.round(s % 60)).padStart(2, "0")}`;

export const leftS = (endsAt: string, now: number) => Math.max(0, Math.ceil((Date.parse(endsAt) - now) / 1000));

/** The timer of the act: its end is a time, so it runs through sleep and reload. */
export function Clock(props: {
  timer: S["TimerState"] | null;
  spec: S["StepTimer"];
  now: number;
  onStart: () => void;
}) {
  const { t } = useTranslation();
  const { timer, spec, now } = props;
  const left = timer ? leftS(timer.endsAt, now) : spec.durationS;
  const up = timer !== null && left === 0;
  return (
    <div className="apart">
      <div className={up ? "clock up" : "clock"} role="timer" aria-label={spec.label}>
        {clockText(left)}
      </div>
      {up ? (
        <b role="status">{t("bench.ready")}</b>
      ) : timer ? (
        <span className="faint">{t("bench.running")}</span>
      ) : (
        <Button size="large" onClick={props.onStart}>
          {t("bench.startTimer", { label: spec.label })} (Space)
        </Button>
      )}
    </div>
  );
}

type StrokeProps = {
  count: ReturnType<typeof useCount>;
  sheet: ReturnType<typeof useSheet>;
  spec: S["StepCount"];
  onFresh: () => void;
};

/** Strokes and wipes count as the procedure says; only what was otherwise is said. Who wants to count along taps. */
export function Strokes({ count, sheet, spec, onFresh }: StrokeProps) {
  const { t } = useTranslation();
  const [paced, setPaced] = useState(false);
  const beat = useRef<HTMLSpanElement>(null);
  const pace = spec.pacePerS ?? null;
  useEffect(() => {
    if (!paced || !pace) return;
    const tick = setInterval(() => beat.current?.classList.toggle("on"), 500 / pace);
    return () => clearInterval(tick);
  }, [paced, pace]);
  const said = count.value > 0;
  const [open, setOpen] = useState(false);
  const total = sheet.sheet.total + (said ? count.value : spec.max);
  const worn = spec.sheetLimit != null && total > spec.sheetLimit;
  const range = spec.min === spec.max ? `${spec.min}` : `${spec.min}–${spec.max}`;
  return (
    <div className="apart small">
      <p>
        <b role="status">{said ? count.value : range}</b>{" "}
        <span className={count.value > spec.max ? "tone-bad" : "faint"}>
          {spec.what}
          {" · "}
          {!said
            ? t("bench.asSaid")
            : count.value > spec.max
              ? t("bench.over", { max: spec.max })
              : t("bench.strokeOf", { count: count.value, min: spec.min, max: spec.max })}
          {pace && ` · ${t("bench.pace", { pace })}`}
        </span>
        {!said && !open && (
          <>
            {" · "}
            <button type="button" className="link" onClick={() => setOpen(true)}>
              {t("bench.otherCount")}
            </button>
          </>
        )}
      </p>
      {(said || open) && (
        <div className="row middle">
          <InputNumber
            aria-label={t("bench.otherCount")}
            className="w-xs"
            min={1}
            max={100_000}
            precision={0}
            value={said ? count.value : null}
            onChange={(n) => (n ? count.put(n) : count.clear())}
          />
          <Button className="dialbtn" onClick={count.add}>
            {t("bench.stroke")} (Space)
          </Button>
          {said && (
            <Button className="dialbtn" aria-label="−1" onClick={count.less}>
              −1
            </Button>
          )}
          {pace && (
            <Button className="dialbtn" aria-pressed={paced} onClick={() => setPaced(!paced)}>
              <span className="beat" ref={beat} aria-hidden="true" /> {t("bench.paceButton")}
            </Button>
          )}
        </div>
      )}
      {spec.film && (
        <p>
          <span className={worn ? "tone-bad" : "faint"}>
            {t("bench.sheet", { film: spec.film, total, limit: spec.sheetLimit ?? "–" })}
            {worn && ` · ${t("bench.sheetWorn")}`}
          </span>
          {" · "}
          <button type="button" className="link" onClick={onFresh}>
            {t("bench.newSheet")}
          </button>
        </p>
      )}
    </div>
  );
}
