import { useQueryClient } from "@tanstack/react-query";
import { Button, Input, Segmented, Select } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";
import { api, http, type S, stale } from "../../api/client";
import { clock } from "../../domain/clock";
import { Await, Nothing, useFault } from "../../ui/Parts";
import { dayText } from "../../ui/settings";
import { type By, clashesOf, DAY, dayAfter, moved } from "./model";
import { WeekChart } from "./WeekChart";
import { WeekFigures } from "./WeekFigures";

type Wishes = { pins: Record<string, S["WeekPin"]>; closed: Record<string, number> };

/** Who does what where, will it be done, and what to do when the day goes otherwise. */
export default function Week() {
  const { t } = useTranslation();
  const [asked, ask] = useSearchParams();
  const on = asked.get("on") ?? undefined;
  const client = useQueryClient();
  const fault = useFault();
  const [by, setBy] = useState<By>("person");
  const [wishes, setWishes] = useState<Wishes>();
  const [chosen, choose] = useState<string>();
  const week = api.useQuery(
    "get",
    "/api/week",
    { params: { query: { on } } },
    { refetchInterval: (q) => (busyIn(q.state.data) || bindingIn(q.state.data) ? 700 : false) },
  );
  const monday = week.data?.monday;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another week has wishes of its own
  useEffect(() => setWishes(undefined), [monday]);
  return (
    <>
      <h1>{t("week.title")}</h1>
      <Await of={week}>
        {(v) => {
          const busy = busyIn(v);
          const mine: Wishes = wishes ?? {
            pins: v.wishes.pins as Record<string, S["WeekPin"]>,
            closed: v.wishes.closed as Record<string, number>,
          };
          const plan = v.plan?.plan;
          const found = plan?.outcome === "impossible" ? v.before : (plan?.tasks ?? []);
          // What was dragged since lies where it was let go.
          const tasks = found.map((p) => {
            const pin = mine.pins[p.id];
            return pin?.start === undefined || pin.start === null ? p : moved(p, pin.start, pin.people?.[0]);
          });
          const days = shownDays(v, tasks);
          const send = (again: Wishes, seconds: number) =>
            http
              .POST("/api/week/{monday}/plan", {
                params: { path: { monday: v.monday } },
                body: { wishes: again, seconds },
              })
              .then(() => setWishes(undefined))
              .then(() => stale(client, "/api/week", "/api/week/mine"))
              .catch(fault);
          const pin = (id: string, p: S["WeekPin"] | null) => {
            const { [id]: _, ...rest } = mine.pins;
            setWishes({ ...mine, pins: p ? { ...rest, [id]: p } : rest });
          };
          const spaces = [...new Set((v.work?.labels ?? []).map((l) => l.space))].sort();
          return (
            <>
              <section className="card" aria-label={t("week.title")}>
                <div className="row between below">
                  <span className="row">
                    <Button onClick={() => ask({ on: dayAfter(v.monday, -7) })}>{t("week.before")}</Button>
                    <b className="week-of">{t("week.of", { day: dayText(v.monday) })}</b>
                    <Button onClick={() => ask({ on: dayAfter(v.monday, 7) })}>{t("week.after")}</Button>
                  </span>
                  <span className="row">
                    <Segmented
                      aria-label={t("week.by")}
                      value={by}
                      onChange={setBy}
                      options={(["person", "tool"] as const).map((x) => ({ value: x, label: t(`week.by-${x}`) }))}
                    />
                    {busy ? (
                      <Button
                        onClick={() =>
                          http
                            .POST("/api/week/{monday}/stop", { params: { path: { monday: v.monday } } })
                            .then(() => stale(client, "/api/week"))
                            .catch(fault)
                        }
                      >
                        {t("week.stop")}
                      </Button>
                    ) : (
                      <>
                        {plan &&
                          plan.outcome !== "impossible" &&
                          (plan.gap > 0 || plan.lateMinutes > plan.lateBound) && (
                            <Button onClick={() => void send(mine, LONG_S)}>{t("week.longer")}</Button>
                          )}
                        <Button type="primary" onClick={() => void send(mine, plan ? SOON_S : LONG_S)}>
                          {t(plan ? "week.again" : "week.plan")}
                        </Button>
                      </>
                    )}
                  </span>
                </div>
                {busy && <p role="status">{t(v.stage === "waiting" ? "week.waits" : "week.solving")}</p>}
                {v.fault && <p className="tone-doubtful">{t([`week.${v.fault}`, "week.failed"], { why: v.fault })}</p>}
                {wishes && !busy && <p className="tone-doubtful">{t("week.changed")}</p>}
                {v.plan && v.work && <Said view={v} onLetGo={(id) => pin(id, null)} />}
                {v.work && tasks.length > 0 ? (
                  <WeekChart
                    view={v}
                    work={v.work}
                    tasks={tasks}
                    by={by}
                    days={days}
                    pins={mine.pins}
                    chosen={chosen}
                    onChoose={choose}
                    onPin={pin}
                  />
                ) : (
                  !busy && !plan && <Nothing text={t("week.none")} />
                )}
                {v.work && chosen && tasks.some((p) => p.id === chosen) && (
                  <Chosen
                    key={chosen}
                    view={v}
                    work={v.work}
                    tasks={tasks}
                    id={chosen}
                    pinned={!!mine.pins[chosen]}
                    onPin={pin}
                  />
                )}
              </section>
              {spaces.length > 0 && (
                <section className="card" aria-label={t("week.closed")}>
                  <h2>{t("week.closed")}</h2>
                  <p className="faint">{t("week.closedText")}</p>
                  <div className="row">
                    {spaces.map((s) => (
                      <label key={s} className="row">
                        {s}
                        <Select
                          aria-label={t("week.closedUntil", { space: s })}
                          className="w-m"
                          allowClear
                          placeholder={t("week.isOpen")}
                          value={mine.closed[s]}
                          onChange={(until?: number) => {
                            const { [s]: _, ...rest } = mine.closed;
                            setWishes({ ...mine, closed: until === undefined ? rest : { ...rest, [s]: until } });
                          }}
                          options={[1, 2, 3, 4, 7, 14].map((d) => ({
                            value: d * DAY,
                            label: dayText(dayAfter(v.monday, d)),
                          }))}
                        />
                      </label>
                    ))}
                  </div>
                </section>
              )}
              {(v.work?.waiting ?? []).length > 0 && (
                <section className="card" aria-label={t("week.waitingTitle")}>
                  <h2>{t("week.waitingTitle")}</h2>
                  <ul className="checks">
                    {v.work?.waiting.map(({ work: w, because }) => (
                      <li key={w.placeId + w.method + (w.personId ?? "") + because}>
                        {t("week.waiting", {
                          place: w.place,
                          customer: w.customer,
                          count: w.toMake + w.toTest,
                          why: t(`week.wait-${because}`),
                        })}
                      </li>
                    ))}
                  </ul>
                </section>
              )}
              <WeekFigures key={v.version} view={v} />
              <p className="faint">
                <a href="/api/week/mine/calendar" download="week.ics">
                  {t("week.calendar")}
                </a>
              </p>
            </>
          );
        }}
      </Await>
    </>
  );
}

/** To plan again is a matter of seconds; the last per cent takes longer. */
const [SOON_S, LONG_S] = [2.5, 20];

const busyIn = (v?: S["WeekView"]) => v?.stage === "waiting" || v?.stage === "solving" || v?.stage === "stopping";

/** What one more of a tool would win is still asked, for a short while after the plan. */
const BINDS_MS = 150_000;
const bindingIn = (v?: S["WeekView"]) =>
  v?.stage === "done" && v.plan?.binds === null && Date.now() - Date.parse(v.askedAt ?? "") < BINDS_MS;

/** The days that are worked, and every other on which something lies; at most two weeks. */
function shownDays(v: S["WeekView"], tasks: S["PlannedTask"][]) {
  const last = Math.max(4, ...tasks.flatMap((p) => p.stretches.map((s) => Math.floor((s.to - 1) / DAY))));
  return Array.from({ length: Math.min(14, last + 1) }, (_, d) => d).filter(
    (d) =>
      v.figures.days.includes(WEEKDAYS[d % 7] as S["WeekFigures"]["days"][number]) ||
      tasks.some((p) => p.stretches.some((s) => Math.floor(s.from / DAY) === d)),
  );
}

const WEEKDAYS = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];

/** Whether it will be done, how sure that is, and what binds. */
function Said({ view, onLetGo }: { view: S["WeekView"]; onLetGo: (id: string) => void }) {
  const { t } = useTranslation();
  const { plan, chances, binds } = view.plan as S["KeptPlan"];
  const labels = new Map((view.work?.labels ?? []).map((l) => [l.id, l]));
  if (plan.outcome === "impossible")
    return (
      <div role="alert">
        <p className="tone-bad">{t(plan.conflict.length > 0 ? "week.impossible" : "week.nowhere")}</p>
        <ul className="list">
          {plan.conflict.map((id) => {
            const label = labels.get(id);
            const start = view.wishes.pins[id]?.start;
            const said = label ? t(`week.${label.kind}`, { ends: label.ends, place: label.place }) : "";
            return (
              <li key={id} className="row">
                {said}
                {typeof start === "number" &&
                  `, ${dayText(dayAfter(view.monday, Math.floor(start / DAY)))}, ${clock(start)}`}
                <Button size="small" aria-label={`${t("week.letGo")}: ${said}`} onClick={() => onLetGo(id)}>
                  {t("week.letGo")}
                </Button>
              </li>
            );
          })}
        </ul>
        {view.before.length > 0 && <p className="faint">{t("week.standing")}</p>}
      </div>
    );
  const customers = new Map((view.work?.labels ?? []).map((l) => [l.jobId, l.customer]));
  const at = (minute: number) => `${dayText(dayAfter(view.monday, Math.floor(minute / DAY)))}, ${clock(minute)}`;
  return (
    <>
      <p className="figure-line">
        {t("week.finish", { time: at(plan.finishMinute) })}{" "}
        <b className={plan.lateMinutes > 0 ? "tone-bad" : "tone-good"}>
          {plan.lateMinutes > 0
            ? t("week.late", { count: plan.tasks.filter((x) => x.lateMinutes > 0).length })
            : t("week.inTime")}
        </b>
      </p>
      {chances.length > 0 && (
        <ul className="list">
          {chances.map((c) => (
            <li key={c.group}>
              {t("week.chance", {
                customer: customers.get(c.group),
                percent: Math.min(99, Math.max(1, Math.round(c.chance * 100))),
              })}
            </li>
          ))}
        </ul>
      )}
      {binds?.map((b) => (
        <p key={b.what}>
          {t("week.binds", {
            what: t(`week.one-${b.what}`),
            hours: Math.floor(b.savesMinutes / 60),
            minutes: b.savesMinutes % 60,
          })}
        </p>
      ))}
      <details>
        <summary>{t("week.how")}</summary>
        <p className="faint">
          {t(plan.outcome === "best" ? "week.best" : "week.gap", {
            percent: (plan.gap * 100).toFixed(1),
            bound: at(plan.finishBound),
            late: plan.lateMinutes,
            lateBound: plan.lateBound,
            seconds: plan.seconds.toFixed(1),
          })}{" "}
          {t("week.ways", { way: plan.travelMinutes, idle: plan.idleMinutes })}
        </p>
        <ul className="faint">
          {view.times.map((m) => (
            <li key={m.method}>
              {t("week.learned", { method: t(`method.${m.method}`), minutes: m.minutes.toFixed(1), count: m.count })}
            </li>
          ))}
          {view.opening && (
            <li>{t("week.learnedOpening", { minutes: view.opening.minutes.toFixed(0), count: view.opening.count })}</li>
          )}
          <li>{t("week.assumed")}</li>
        </ul>
      </details>
    </>
  );
}

/** One task: when and whose, by keys as by hand. */
function Chosen(props: {
  view: S["WeekView"];
  work: S["WeekWork"];
  tasks: S["PlannedTask"][];
  id: string;
  pinned: boolean;
  onPin: (id: string, pin: S["WeekPin"] | null) => void;
}) {
  const { t } = useTranslation();
  const { view, work, id } = props;
  const label = work.labels.find((l) => l.id === id);
  const planned = props.tasks.find((p) => p.id === id);
  const start = planned?.stretches[0]?.from ?? 0;
  const can = work.problem.tasks.find((x) => x.id === id)?.people ?? [];
  if (!label || !planned) return null;
  const put = (at: number, person?: string) =>
    props.onPin(id, { start: at, people: person ? [person] : planned.people.length > 0 ? planned.people : null });
  const clashes = clashesOf(work, props.tasks, id);
  return (
    <div className="row above">
      <b>{t(`week.${label.kind}`, { ends: label.ends, place: label.place })}</b>
      <Select
        aria-label={t("hours.day")}
        className="w-m"
        value={Math.floor(start / DAY)}
        onChange={(d: number) => put(d * DAY + (start % DAY))}
        options={Array.from({ length: 14 }, (_, d) => ({ value: d, label: dayText(dayAfter(view.monday, d)) }))}
      />
      <Input
        aria-label={t("week.begins")}
        className="w-m"
        type="time"
        step={900}
        value={clock(start)}
        onChange={(e) => {
          const [h, m] = e.target.value.split(":").map(Number);
          if (h !== undefined && m !== undefined && Number.isFinite(h + m))
            put(Math.floor(start / DAY) * DAY + h * 60 + m);
        }}
      />
      <Select
        aria-label={t("day.person")}
        className="w-m"
        value={planned.people[0]}
        onChange={(p: string) => put(start, p)}
        options={view.hands.filter((h) => can.includes(h.personId)).map((h) => ({ value: h.personId, label: h.name }))}
      />
      {props.pinned && <Button onClick={() => props.onPin(id, null)}>{t("week.letGo")}</Button>}
      {clashes.length > 0 && <span className="tone-bad">{clashes.map((c) => t(`clash.${c}`)).join(" · ")}</span>}
    </div>
  );
}
