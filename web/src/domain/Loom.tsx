import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { strandPaint } from "../ui/theme";
import { shapeOf, VerdictShape } from "./Verdict";

export const phases = ["thread", "strip", "clean", "cleave", "join", "set", "finish", "look", "test"] as const;

type Props = {
  ends: S["LoomEnd"][];
  strandOf: (end: { endId: string }) => S["Strand"] | undefined;
  selected?: string;
  /** Strands that are in the batch, or are picked for one. */
  marked?: Set<string>;
  onSelect?: (endId: string) => void;
  height?: number;
  /** At a glance: no names of phases, no numbers. */
  small?: boolean;
  label: string;
  /** Ends that may run out of slack, with the chance of it. */
  risks?: Map<string, number>;
};

/** One hanging line per strand in its own colour; it has run as far as its connector has come, and loops where it went back. */
export function Loom({ ends, strandOf, selected, marked, onSelect, height = 420, small, label, risks }: Props) {
  const { t } = useTranslation();
  const frame = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(800);
  useEffect(() => {
    if (!frame.current) return;
    const watch = new ResizeObserver(([e]) => e && setRoom(e.contentRect.width));
    watch.observe(frame.current);
    return () => watch.disconnect();
  }, []);
  const gutter = small ? 2 : 66;
  const step = Math.max(5, Math.min(46, (room - gutter - 10) / Math.max(ends.length, 1)));
  const top = small ? 2 : 26;
  const bottom = small ? 16 : 30;
  const band = (height - top - bottom) / phases.length;
  const width = gutter + ends.length * step + 8;
  const line = Math.max(2, Math.min(7, step * 0.3));
  const at = (i: number) => gutter + step * (i + 0.5);
  const every = step < 14 ? 12 : step < 20 ? 2 : 1;
  // Both sides of one strand side by side, as of a jumper: the number alone would not tell them apart.
  const sides = new Map<string, string>();
  const both = ends.some((e) => {
    const strandOfCable = `${e.cableId}.${e.strand}`;
    const other = sides.get(strandOfCable);
    sides.set(strandOfCable, e.side);
    return other !== undefined && other !== e.side;
  });

  const move = (e: React.KeyboardEvent) => {
    if (!onSelect) return;
    const i = ends.findIndex((x) => x.endId === selected);
    const next = e.key === "ArrowRight" ? i + 1 : e.key === "ArrowLeft" ? i - 1 : -1;
    const end = ends[next];
    if (end) {
      e.preventDefault();
      e.stopPropagation();
      onSelect(end.endId);
    }
  };

  return (
    <div className="loom" ref={frame}>
      <svg
        width={width}
        height={height}
        viewBox={`0 0 ${width} ${height}`}
        role={onSelect ? "listbox" : "img"}
        aria-label={label}
        aria-activedescendant={onSelect && selected ? `strand-${selected}` : undefined}
        tabIndex={onSelect ? 0 : undefined}
        onKeyDown={move}
      >
        {phases.map((p, i) => (
          <g key={p} aria-hidden="true">
            {i % 2 === 0 && <rect x={0} y={top + band * i} width={width} height={band} fill="var(--band)" />}
            {!small && (
              <text x={4} y={top + band * (i + 0.5) + 5} fontSize="14">
                {t(`phase.${p}`)}
              </text>
            )}
          </g>
        ))}
        {ends.map((e, i) => {
          const strand = strandOf(e);
          const reached = e.status === "accepted" ? phases.length : e.phase ? phases.indexOf(e.phase) + 0.6 : 0;
          const x = at(i);
          const y = top + band * reached;
          const paint = strandPaint[strand?.colour ?? "slate"];
          const name = `${t("bench.strand", { number: e.strand })}, ${strand ? t(`colour.${strand.colour}`) : ""}${strand?.tracer ? ` ${t("bench.tracer")}` : ""}, ${t(`status.${e.status}`)}${risks?.has(e.endId) ? `, ${t("loom.risk", { chance: Math.round((risks.get(e.endId) ?? 0) * 100) })}` : ""}`;
          return (
            <g
              key={e.endId}
              id={`strand-${e.endId}`}
              role={onSelect ? "option" : undefined}
              aria-selected={
                onSelect ? e.endId === selected || (!selected && marked?.has(e.endId) === true) : undefined
              }
              aria-label={onSelect ? name : undefined}
              data-status={e.status}
              onClick={() => onSelect?.(e.endId)}
              className={onSelect ? "pointer" : undefined}
            >
              <rect
                x={x - step / 2}
                y={0}
                width={step}
                height={height}
                fill={e.endId === selected ? "var(--accent)" : "transparent"}
                fillOpacity={0.16}
              />
              {marked?.has(e.endId) && (
                <path d={`M${x - step * 0.34} ${top - 5}h${step * 0.68}`} stroke="var(--accent)" strokeWidth={3} />
              )}
              <line
                x1={x}
                x2={x}
                y1={top}
                y2={height - bottom}
                stroke="var(--line)"
                strokeWidth={Math.max(1, line / 3)}
              />
              {reached > 0 && (
                <>
                  <line x1={x} x2={x} y1={top} y2={y} stroke="var(--strandEdge)" strokeWidth={line + 2} />
                  <line x1={x} x2={x} y1={top} y2={y} stroke={paint} strokeWidth={line} />
                  {strand?.tracer && (
                    <line
                      x1={x}
                      x2={x}
                      y1={top}
                      y2={y}
                      stroke={strand.colour === "black" ? "#ffffff" : "#15181a"}
                      strokeWidth={Math.max(1, line / 3)}
                      strokeDasharray="3 5"
                    />
                  )}
                </>
              )}
              {(e.loops ? e.loops.split(" ") : []).slice(-4).map((loop, n) => {
                const [from, to] = loop.split(">").map((p) => phases.indexOf(p as (typeof phases)[number]));
                const y1 = top + band * ((from ?? 0) + 0.6);
                const y2 = from === to ? y1 - band * 0.9 : top + band * ((to ?? 0) + 0.3);
                const w = Math.min(step * 0.9, 15 + n * 8);
                return (
                  <path
                    // biome-ignore lint/suspicious/noArrayIndexKey: loops have no identity but their order
                    key={n}
                    d={`M${x} ${y1}C${x - w} ${y1 + 6} ${x - w} ${y2 - 6} ${x} ${y2}m-4.5 -.5l4.5 .5l-1 4.5`}
                    fill="none"
                    stroke="var(--doubt)"
                    strokeWidth={Math.max(1.5, line / 2.8)}
                  />
                );
              })}
              {!small && i % every === 0 && (
                <text x={x} y={16} fontSize="13" textAnchor="middle" fontWeight={e.endId === selected ? 800 : 400}>
                  {both ? `${e.strand}${e.side}` : e.strand}
                </text>
              )}
              {risks?.has(e.endId) && (
                // The line is parted near its end: there may not be enough of it.
                <path
                  d={`M${x - 6} ${height - bottom - 9}l12 -5m-12 10l12 -5`}
                  stroke="var(--bad)"
                  strokeWidth={2}
                  fill="none"
                />
              )}
              <VerdictShape
                shape={shapeOf(e.status, e.verdict)}
                x={x}
                y={height - bottom / 2}
                r={Math.max(2.5, Math.min(9, step * 0.36))}
              />
            </g>
          );
        })}
      </svg>
    </div>
  );
}
