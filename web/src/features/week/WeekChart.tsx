import { Segmented } from "antd";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { clock } from "../../domain/clock";
import { Sideways } from "../../ui/Parts";
import { type Bar, type By, barsOf, type Clash, clashesOf, DAY, dayAfter, moved } from "./model";

const LEFT = 132;
const ROW = 54;
const HEAD = 34;
const SNAP = 15;

/** How wide a day is drawn. */
const WIDTHS = { week: 184, days: 368, hours: 920 };
type Width = keyof typeof WIDTHS;

const NARROW_PX = 700;

/** Of a day's name above its hours. */
const LABEL_PX = 100;

/** A bar that was not moved by so many pixels was tapped. */
const TAP_PX = 4;

/** Held so near to the side of what is seen, the days behind it come by, so far at a time. */
const [EDGE_PX, BY_PX] = [36, 18];

/** A bar as wide takes its words, its number alone, its hour. */
const [WORDS_PX, NUMBER_PX, HOUR_PX] = [44, 18, 60];

/** The week as rows of people or tools: what is dragged stays where it is let go, and says at once what stands against it. */
export function WeekChart(props: {
  view: S["WeekView"];
  work: S["WeekWork"];
  tasks: S["PlannedTask"][];
  by: By;
  days: number[];
  pins: Record<string, S["WeekPin"]>;
  chosen?: string;
  onChoose: (id: string) => void;
  onPin: (id: string, pin: S["WeekPin"]) => void;
}) {
  const { t } = useTranslation();
  const { view, work, by, days } = props;
  const svg = useRef<SVGSVGElement>(null);
  const [held, hold] = useState<{
    id: string;
    grip: number;
    from: number;
    start: number;
    person?: string;
    moved: boolean;
  } | null>(null);
  const [asked, setWide] = useState<Width>();
  // What is done in a day or two is drawn as wide as there is room for.
  const last = Math.max(0, ...props.tasks.flatMap((p) => p.stretches.map((s) => s.to))) / DAY;
  const wide = asked ?? (window.innerWidth < NARROW_PX ? "days" : last <= 1 ? "hours" : last <= 2 ? "days" : "week");
  const DAY_PX = WIDTHS[wide];
  const f = view.figures;
  const [open, close] = [Math.floor(f.fromMin / 60) * 60, Math.ceil(f.toMin / 60) * 60];
  const names = new Map(view.hands.map((h) => [h.personId, h.name]));
  const rows =
    by === "person"
      ? work.problem.people.map((p) => ({ key: p.id, name: names.get(p.id) ?? "" }))
      : work.problem.tools.map((x) => ({
          key: x.kind,
          name: t("week.tool", { tool: t(`week.${x.kind}`), count: x.count }),
        }));
  const x = (minute: number) => {
    const [day, of] = [Math.floor(minute / DAY), minute % DAY];
    const column = days.findIndex((d) => d >= day);
    const at = column < 0 ? days.length : column;
    const inside = days[at] === day ? Math.min(1, Math.max(0, (of - open) / (close - open))) : 0;
    return LEFT + (at + inside) * DAY_PX;
  };
  const minuteAt = (px: number) => {
    const column = Math.min(days.length - 1, Math.max(0, Math.floor((px - LEFT) / DAY_PX)));
    const inside = Math.min(1, Math.max(0, (px - LEFT) / DAY_PX - column));
    return (days[column] ?? 0) * DAY + Math.round((open + inside * (close - open)) / SNAP) * SNAP;
  };
  const rowOf = (py: number) => Math.min(rows.length - 1, Math.max(0, Math.floor((py - HEAD) / ROW)));
  const point = (e: PointerEvent) => {
    const box = svg.current?.getBoundingClientRect();
    return box ? { px: e.clientX - box.left, py: e.clientY - box.top } : { px: 0, py: 0 };
  };
  // What was tapped goes along with the finger; everywhere else the finger scrolls. To parts of a drawing the style for that does not reach.
  useEffect(() => {
    const drawing = svg.current;
    const stay = (e: TouchEvent) => {
      if ((e.target as Element).closest(".chosen")) e.preventDefault();
    };
    drawing?.addEventListener("touchstart", stay, { passive: false });
    return () => drawing?.removeEventListener("touchstart", stay);
  }, []);
  const scrollAt = (clientX: number) => {
    const box = svg.current?.parentElement;
    const at = box?.getBoundingClientRect();
    if (box && at) box.scrollLeft += clientX > at.right - EDGE_PX ? BY_PX : clientX < at.left + EDGE_PX ? -BY_PX : 0;
  };
  const shown = held ? props.tasks.map((p) => (p.id === held.id ? moved(p, held.start, held.person) : p)) : props.tasks;
  const bars = barsOf(work, shown, by);
  const clashes: Clash[] = held?.moved ? clashesOf(work, shown, held.id) : [];
  const jobs = [...new Set(work.labels.map((l) => l.jobId))];
  const height = HEAD + rows.length * ROW + 4;
  const drop = () => {
    if (held?.moved) props.onPin(held.id, { start: held.start, people: held.person ? [held.person] : null });
    hold(null);
  };
  return (
    <>
      <p>
        <Segmented
          size="small"
          aria-label={t("week.wide")}
          value={wide}
          onChange={setWide}
          options={(["week", "days", "hours"] as const).map((w) => ({ value: w, label: t(`week.wide-${w}`) }))}
        />
      </p>
      <Sideways>
        <svg
          ref={svg}
          className="week-chart"
          width={LEFT + days.length * DAY_PX + 4}
          height={height}
          role="group"
          aria-label={t("week.chart")}
          onPointerMove={(e) => {
            if (!held) return;
            const { px, py } = point(e);
            if (
              !held.moved &&
              Math.abs(px - held.from) < TAP_PX &&
              rowOf(py) === rows.findIndex((r) => r.key === held.person)
            )
              return;
            scrollAt(e.clientX);
            const row = rows[rowOf(py)];
            const can = work.problem.tasks.find((x) => x.id === held.id)?.people;
            const person = by === "person" && row && (!can || can.includes(row.key)) ? row.key : held.person;
            hold({ ...held, start: Math.max(0, minuteAt(px - held.grip)), person, moved: true });
          }}
          onPointerUp={drop}
          onPointerCancel={() => hold(null)}
        >
          {days.map((d, i) => (
            <g key={d}>
              <path className="edge" d={`M${LEFT + i * DAY_PX} 0V${height}`} />
              <text x={LEFT + i * DAY_PX + 6} y={22}>
                {new Intl.DateTimeFormat("en-GB", {
                  weekday: "short",
                  day: "numeric",
                  month: "short",
                  timeZone: "UTC",
                }).format(new Date(`${dayAfter(view.monday, d)}T12:00Z`))}
              </text>
              {wide !== "week" &&
                Array.from({ length: (close - open) / 60 - 1 }, (_, h) => open + (h + 1) * 60).map((m) => (
                  <g key={m}>
                    <path className="hour" d={`M${x(d * DAY + m)} ${HEAD - 4}V${height}`} />
                    {wide === "hours" && x(d * DAY + m) - x(d * DAY + open) > LABEL_PX && (
                      <text className="small" x={x(d * DAY + m) - 14} y={HEAD - 8}>
                        {clock(m)}
                      </text>
                    )}
                  </g>
                ))}
              <rect
                className="break"
                x={x(d * DAY + f.breakFromMin)}
                y={HEAD}
                width={Math.max(0, x(d * DAY + f.breakToMin) - x(d * DAY + f.breakFromMin))}
                height={height - HEAD}
              />
            </g>
          ))}
          {rows.map((r, i) => (
            <g key={r.key}>
              <path className="edge" d={`M0 ${HEAD + i * ROW}H${LEFT + days.length * DAY_PX}`} />
              <text x={4} y={HEAD + i * ROW + 31}>
                {r.name.length > 16 ? `${r.name.slice(0, 15)}…` : r.name}
                <title>{r.name}</title>
              </text>
            </g>
          ))}
          {view.minutes > 0 && view.minutes < 7 * DAY && (
            <path className="now" d={`M${x(view.minutes)} ${HEAD}V${height}`} />
          )}
          {bars.map((b) => (
            <BarShape
              key={`${b.task.id}.${b.no}.${b.row}`}
              bar={b}
              x={x(b.from)}
              width={Math.max(3, x(b.to) - x(b.from))}
              y={HEAD + rows.findIndex((r) => r.key === b.row) * ROW}
              job={jobs.indexOf(b.label.jobId) % 4}
              pinned={props.pins[b.task.id] !== undefined}
              late={(b.task.due ?? Number.MAX_SAFE_INTEGER) < b.to}
              bad={held?.id === b.task.id && clashes.some((c) => c !== "late")}
              chosen={props.chosen === b.task.id}
              onChoose={() => props.onChoose(b.task.id)}
              onGrip={(e) => {
                const { px } = point(e);
                const p = props.tasks.find((x) => x.id === b.task.id);
                const start = p?.stretches[0]?.from ?? b.from;
                // A finger scrolls: what it taps is chosen, and only what is chosen goes along with it.
                if (e.pointerType === "touch" && props.chosen !== b.task.id) return;
                (e.target as Element).setPointerCapture?.(e.pointerId);
                props.onChoose(b.task.id);
                hold({
                  id: b.task.id,
                  grip: px - x(start),
                  from: px,
                  start,
                  person: by === "person" ? b.row : p?.people[0],
                  moved: false,
                });
              }}
            />
          ))}
          {held?.moved && (
            // What is held lies over what it is held above, and says when.
            <g className={clashes.some((c) => c !== "late") ? "held bad" : "held"} aria-hidden="true">
              {bars
                .filter((b) => b.task.id === held.id && b.attended)
                .map((b) => {
                  const top = HEAD + rows.findIndex((r) => r.key === b.row) * ROW;
                  return (
                    <g key={`${b.no}.${b.row}`}>
                      <rect
                        x={x(b.from)}
                        y={top + 6}
                        width={Math.max(3, x(b.to) - x(b.from))}
                        height={ROW - 12}
                        rx={3}
                      />
                      <text className="small" x={x(b.from)} y={top - 3}>
                        {clock(b.from)}
                      </text>
                    </g>
                  );
                })}
            </g>
          )}
        </svg>
      </Sideways>
      <p role="status" className={clashes.length > 0 ? "tone-bad" : "faint"}>
        {held?.moved
          ? [
              t("week.held", {
                time: `${days.includes(Math.floor(held.start / DAY)) ? dayAfter(view.monday, Math.floor(held.start / DAY)) : ""} ${clock(held.start)}`,
              }),
              ...clashes.map((c) => t(`clash.${c}`)),
            ].join(" · ")
          : t("week.hint")}
      </p>
    </>
  );
}

function BarShape(props: {
  bar: Bar;
  x: number;
  y: number;
  width: number;
  job: number;
  pinned: boolean;
  late: boolean;
  bad: boolean;
  chosen: boolean;
  onChoose: () => void;
  onGrip: (e: PointerEvent) => void;
}) {
  const { t } = useTranslation();
  const { bar, x, y, width } = props;
  const text = t(`week.${bar.label.kind}`, { ends: bar.label.ends, place: bar.label.place });
  const classes = [
    "bar",
    `job-${props.job}`,
    bar.attended ? "" : "alone",
    bar.label.kind === "test" ? "test" : "",
    props.pinned ? "pinned" : "",
    props.late ? "late" : "",
    props.bad ? "bad" : "",
    props.chosen ? "chosen" : "",
  ];
  const [top, high] = bar.attended ? [6, ROW - 12] : [ROW - 13, 7];
  return (
    <g
      className={classes.filter(Boolean).join(" ")}
      role="button"
      tabIndex={bar.no === 0 ? 0 : -1}
      aria-label={`${text}, ${clock(bar.from)}–${clock(bar.to)}`}
      onPointerDown={props.onGrip}
      onClick={props.onChoose}
      onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && props.onChoose()}
    >
      <rect x={x} y={y + top} width={width} height={high} rx={3} />
      {bar.attended && width > NUMBER_PX && (
        <text x={x + (width > WORDS_PX ? 6 : 3)} y={y + 24}>
          {width > WORDS_PX ? clip(`${bar.label.ends} · ${bar.label.place}`, width) : bar.label.ends}
        </text>
      )}
      {bar.attended && width > HOUR_PX && (
        <text className="small" x={x + 6} y={y + 40}>
          {clip(clock(bar.from), width)}
        </text>
      )}
      <title>{`${text}, ${bar.label.customer}, ${clock(bar.from)}–${clock(bar.to)}`}</title>
    </g>
  );
}

const clip = (text: string, width: number) => {
  const most = Math.max(1, Math.floor((width - 10) / 7.4));
  return text.length > most ? `${text.slice(0, Math.max(0, most - 1))}…` : text;
};
