import { Button } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { type MixDue, mixPlan, onMixPlan, writeMixPlan } from "./mixPlan";

/** At the bench: what the plan of the adhesive says is next, counting down; due, it stays until it is done. */
export function MixTimers() {
  const { t } = useTranslation();
  const [plan, setPlan] = useState<MixDue[]>(mixPlan);
  const [now, setNow] = useState(Date.now());
  useEffect(() => onMixPlan(() => setPlan(mixPlan())), []);
  useEffect(() => {
    if (plan.length === 0) return;
    const tick = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(tick);
  }, [plan.length]);
  const next = plan.findIndex((m) => !m.done);
  const due = plan[next];
  if (!due) return null;
  const left = Math.round((due.at - now) / 1000);
  return (
    <section className={left <= 0 ? "card mix-next due" : "card mix-next"} aria-label={t("mixes.next")}>
      <div className="row middle">
        <b className={left <= 0 ? "tone-bad" : undefined}>{due.text}</b>
        <span className="clock-small" role="timer">
          {left > 0 ? t("mixes.in", { time: clock(left) }) : t("mixes.due", { time: clock(-left) })}
        </span>
        <Button size="large" onClick={() => writeMixPlan(plan.map((m, i) => (i === next ? { ...m, done: true } : m)))}>
          {t("mixes.did")}
        </Button>
        <Button className="less" onClick={() => writeMixPlan([])}>
          {t("mixes.drop")}
        </Button>
        <span className="faint less">{t("mixes.more", { count: plan.length - next - 1 })}</span>
      </div>
    </section>
  );
}

const clock = (seconds: number) => `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
