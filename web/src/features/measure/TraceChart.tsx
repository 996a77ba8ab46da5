import { Button } from "antd";
import { type PointerEvent, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";

const [W, H, LEFT, BOTTOM, TOP] = [900, 380, 52, 30, 26];

/** The trace as a band from its lowest to its highest level at each step; two cursors, and the events where they lie. */
export function TraceChart(props: {
  view: S["TraceView"];
  cursors: [number, number];
  onCursor: (which: 0 | 1, metres: number) => void;
  chosen: number | null;
}) {
  const { t } = useTranslation();
  const { view, cursors } = props;
  const steps = view.levelsDb.length / 2;
  const whole: [number, number] = [view.fromM, view.fromM + steps * view.stepM];
  const [range, setRange] = useState<[number, number]>(() => opening(view, whole));
  const svg = useRef<SVGSVGElement>(null);
  const next = useRef<0 | 1>(0);
  const [low, high] = useMemo(() => levels(view, range), [view, range]);
  const x = (m: number) => LEFT + ((m - range[0]) / (range[1] - range[0])) * (W - LEFT - 8);
  const y = (db: number) => TOP + ((high - db) / (high - low)) * (H - TOP - BOTTOM);
  const band = (() => {
    const first = Math.max(0, Math.floor((range[0] - view.fromM) / view.stepM) - 1);
    const last = Math.min(steps - 1, Math.ceil((range[1] - view.fromM) / view.stepM) + 1);
    const top: string[] = [];
    const under: string[] = [];
    for (let i = first; i <= last; i++) {
      const at = x(view.fromM + i * view.stepM).toFixed(1);
      top.push(`${at} ${y(view.levelsDb[2 * i] ?? low).toFixed(1)}`);
      under.push(`${at} ${y(view.levelsDb[2 * i + 1] ?? low).toFixed(1)}`);
    }
    return `M${top.join("L")}L${under.reverse().join("L")}Z`;
  })();
  const zoom = (factor: number, about = (range[0] + range[1]) / 2) => {
    const span = Math.max(view.stepM * 20, Math.min(whole[1] - whole[0], (range[1] - range[0]) * factor));
    const share = (about - range[0]) / (range[1] - range[0]);
    const from = Math.max(whole[0], Math.min(whole[1] - span, about - share * span));
    setRange([from, from + span]);
  };
  const metres = (e: { clientX: number; clientY: number }) => {
    const matrix = svg.current?.getScreenCTM()?.inverse();
    if (!matrix) return range[0];
    const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix);
    return range[0] + ((p.x - LEFT) / (W - LEFT - 8)) * (range[1] - range[0]);
  };
  const tap = (e: PointerEvent) => {
    const m = Math.max(whole[0], Math.min(whole[1], metres(e)));
    props.onCursor(next.current, m);
    next.current = next.current === 0 ? 1 : 0;
  };
  const pan = (share: number) => {
    const span = range[1] - range[0];
    const from = Math.max(whole[0], Math.min(whole[1] - span, range[0] + share * span));
    setRange([from, from + span]);
  };
  return (
    <>
      <svg
        ref={svg}
        className="trace"
        viewBox={`0 0 ${W} ${H}`}
        role="img"
        aria-label={t("trace.chart")}
        onPointerDown={tap}
        onWheel={(e) => zoom(e.deltaY > 0 ? 1.25 : 0.8, metres(e))}
      >
        {ticks(range, 8).map((m) => (
          <g key={m}>
            <path d={`M${x(m)} ${TOP}V${H - BOTTOM}`} className="rule" />
            <text x={x(m)} y={H - 10} textAnchor="middle">
              {m >= 2000 ? `${(m / 1000).toFixed(2)} km` : `${Math.round(m)} m`}
            </text>
          </g>
        ))}
        {ticks([low, high], 6).map((db) => (
          <g key={db}>
            <path d={`M${LEFT} ${y(db)}H${W - 8}`} className="rule" />
            <text x={LEFT - 6} y={y(db) + 4} textAnchor="end">
              {db.toFixed(high - low < 6 ? 1 : 0)}
            </text>
          </g>
        ))}
        <clipPath id="trace-inside">
          <rect x={LEFT} y={TOP} width={W - LEFT - 8} height={H - TOP - BOTTOM} />
        </clipPath>
        <g clipPath="url(#trace-inside)">
          <path d={band} className="level" />
          {view.answer.events.map((e, i) => (
            <g key={`${e.distanceM}`} className={props.chosen === i ? "event chosen" : "event"}>
              <path d={`M${x(e.distanceM)} ${TOP}V${H - BOTTOM}`} />
              <text x={x(e.distanceM) + 4} y={TOP + 14}>
                {i + 1}
              </text>
            </g>
          ))}
          {cursors.map((c, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: there are always these two
            <g key={i} className="cursor">
              <path d={`M${x(c)} ${TOP}V${H - BOTTOM}`} />
              <rect x={x(c) - 9} y={TOP - 2} width={18} height={18} rx={4} />
              <text x={x(c)} y={TOP + 12} textAnchor="middle">
                {i === 0 ? "P" : "Q"}
              </text>
            </g>
          ))}
        </g>
        <text x={LEFT} y={14}>
          {t("trace.axis")}
        </text>
      </svg>
      <div className="row">
        <Button onClick={() => zoom(0.5)}>{t("trace.closer")}</Button>
        <Button onClick={() => zoom(2)}>{t("trace.wider")}</Button>
        <Button onClick={() => pan(-0.4)} aria-label={t("trace.left")}>
          ←
        </Button>
        <Button onClick={() => pan(0.4)} aria-label={t("trace.right")}>
          →
        </Button>
        <Button onClick={() => setRange(opening(view, whole))}>{t("trace.all")}</Button>
        <span className="faint">{t("trace.tap")}</span>
      </div>
    </>
  );
}

/** The fiber with a little of the noise after it. */
function opening(view: S["TraceView"], whole: [number, number]): [number, number] {
  const end = view.answer.events.find((e) => e.kind === "end")?.distanceM ?? whole[1];
  return [whole[0], Math.min(whole[1], Math.max(end * 1.12, end + 20))];
}

function levels(view: S["TraceView"], range: [number, number]): [number, number] {
  let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  const end = view.answer.events.find((e) => e.kind === "end")?.distanceM ?? range[1];
  for (let i = 0; i < view.levelsDb.length / 2; i++) {
    const m = view.fromM + i * view.stepM;
    if (m < range[0] || m > range[1]) continue;
    high = Math.max(high, view.levelsDb[2 * i] ?? high);
    if (m < end) low = Math.min(low, view.levelsDb[2 * i + 1] ?? low);
  }
  if (!Number.isFinite(low)) low = high - 20;
  const pad = Math.max(0.2, (high - low) * 0.08);
  return [low - pad * 2, high + pad];
}

function ticks([from, to]: [number, number], about: number) {
  const rough = (to - from) / about;
  const ten = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((k) => k * ten).find((s) => s >= rough) ?? rough;
  const all: number[] = [];
  for (let v = Math.ceil(from / step) * step; v <= to; v += step) all.push(Math.abs(v) < step / 1e6 ? 0 : v);
  return all;
}
