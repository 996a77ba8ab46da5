import { Alert, Button, Input } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { clock } from "../../domain/clock";

/** When somebody said that they leave, on that day. */
const KEPT = "rhabdon.leaves";
const STEP_MS = 5 * 60_000;

/** The largest batch that is cured, looked at and tested before one must leave: start eight, not twelve. */
export function Leaving(props: {
  method: S["TerminationMethod"];
  ends: number;
  now: number;
  timeZone: string;
  onTake: (ends: number) => void;
}) {
  const { t } = useTranslation();
  // To five minutes: what is asked for does not change with every second.
  const at = new Intl.DateTimeFormat("sv-SE", {
    timeZone: props.timeZone,
    year: "numeric",
    month: "2-digit",
    day: "2-digit",
    hour: "2-digit",
    minute: "2-digit",
  })
    .format(Math.floor(props.now / STEP_MS) * STEP_MS)
    .replace(" ", "T");
  const day = at.slice(0, 10);
  const kept = localStorage.getItem(KEPT)?.split(" ");
  const [until, setUntil] = useState(kept?.[0] === day ? kept[1] : undefined);
  const found = api.useQuery(
    "get",
    "/api/week/fit",
    { params: { query: { method: props.method, ends: props.ends, at, until } } },
    { retry: false, placeholderData: (before) => before },
  ).data;
  if (!found) return null;
  const { leavesAtMin, fit } = found;
  const time = leavesAtMin === null ? "" : clock(leavesAtMin);
  const field = (
    <label className="row">
      {t("bench.leave")}
      <Input
        className="w-m"
        type="time"
        value={until ?? time}
        onChange={(e) => {
          setUntil(e.target.value || undefined);
          if (e.target.value) localStorage.setItem(KEPT, `${day} ${e.target.value}`);
          else localStorage.removeItem(KEPT);
        }}
      />
    </label>
  );
  const past = leavesAtMin === null || at.slice(11) >= time;
  // Nothing is certain before it is done.
  const percent = (chance: number) => Math.min(99, Math.max(1, Math.round(chance * 100)));
  if (past || !fit || fit.ends >= props.ends)
    return (
      <div className="row" data-testid="leaving">
        {field}
        {!past && fit && (
          <span className="faint">{t("bench.fits", { count: props.ends, time, percent: percent(fit.chance) })}</span>
        )}
      </div>
    );
  return (
    <Alert
      type="warning"
      showIcon
      title={
        fit.ends > 0 ? t("bench.startFewer", { ends: fit.ends, asked: props.ends }) : t("bench.startNone", { time })
      }
      description={
        <>
          <p>
            {fit.ends > 0 && t("bench.fits", { count: fit.ends, time, percent: percent(fit.chance) })}{" "}
            {t("bench.fits", { count: props.ends, time, percent: percent(fit.chanceOfAsked) })}{" "}
            {t(found.learnedOf > 0 ? "bench.fitLearned" : "bench.fitAssumed", {
              minutes: found.eachMin.toFixed(1),
              count: found.learnedOf,
            })}
          </p>
          <div className="row">
            {fit.ends > 0 && (
              <Button onClick={() => props.onTake(fit.ends)}>{t("bench.take", { count: fit.ends })}</Button>
            )}
            {field}
          </div>
        </>
      }
    />
  );
}
