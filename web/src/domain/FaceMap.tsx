import { type PointerEvent, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

export type Mark = S["SeenFinding"];
export type Place = { xUm: number; yUm: number };
type Picture = {
  pictureId: string;
  widthPx: number;
  heightPx: number;
  umPerPx: number;
  centreXPx: number;
  centreYPx: number;
};

const REACH = 132;
const LOUPE = 26;

export const isLine = (m: Mark) => m.kind === "scratch";
export const sizeOf = (m: Mark) => (isLine(m) ? m.widthUm : m.diameterUm) ?? 0;

/** The picture in micrometres about the fiber's centre, with zones and findings drawn over it, and a loupe under the pointer. */
export function FaceMap(props: {
  picture: Picture;
  zones: S["ZoneLimits"][];
  marks: Mark[];
  decisive?: number[];
  chosen?: number | null;
  begun?: Place | null;
  overlay: boolean;
  /** By how much the picture is turned to lie as another does, clockwise. */
  turnDeg?: number;
  label: string;
  onPick?: (place: Place, mark: number | null) => void;
}) {
  const { t } = useTranslation();
  const [at, setAt] = useState<Place | null>(null);
  const [zoom, setZoom] = useState(1);
  const [centre, setCentre] = useState<Place>({ xUm: 0, yUm: 0 });
  const grip = useRef<{ place: Place; moved: boolean } | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const reach = REACH / zoom;
  const mark = typeof props.chosen === "number" ? props.marks[props.chosen] : undefined;
  const to = (next: number) => {
    setZoom(next);
    // Onto what is chosen; without a choice, onto the core.
    setCentre(next === 1 || !mark ? (next === 1 ? { xUm: 0, yUm: 0 } : centre) : middle(mark));
  };
  const placeOf = (e: PointerEvent) => {
    const matrix = svg.current?.getScreenCTM()?.inverse();
    if (!matrix) return null;
    const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix);
    return { xUm: p.x, yUm: p.y };
  };
  const nearest = (p: Place) => {
    let best: number | null = null;
    let near = 4;
    props.marks.forEach((m, i) => {
      const away = distance(m, p) - (isLine(m) ? 0 : sizeOf(m) / 2);
      if (away < near) {
        near = away;
        best = i;
      }
    });
    return best;
  };
  return (
    <div className="face">
      <svg
        ref={svg}
        viewBox={`${centre.xUm - reach} ${centre.yUm - reach} ${2 * reach} ${2 * reach}`}
        role="img"
        aria-label={props.label}
        style={zoom > 1 ? { touchAction: "none" } : undefined}
        onPointerMove={(e) => {
          const p = placeOf(e);
          const from = grip.current;
          if (!p || !from || zoom === 1) return setAt(p);
          const away = Math.hypot(p.xUm - from.place.xUm, p.yUm - from.place.yUm);
          if (!from.moved && away * zoom < 4) return;
          from.moved = true;
          setAt(null);
          setCentre((c) => ({ xUm: hold(c.xUm + from.place.xUm - p.xUm), yUm: hold(c.yUm + from.place.yUm - p.yUm) }));
        }}
        onPointerLeave={() => {
          grip.current = null;
          setAt(null);
        }}
        onPointerDown={(e) => {
          const place = placeOf(e);
          grip.current = place && { place, moved: false };
        }}
        onPointerUp={() => {
          const from = grip.current;
          grip.current = null;
          if (from && !from.moved && props.onPick) props.onPick(from.place, nearest(from.place));
        }}
      >
        <Content {...props} />
        {props.begun && <circle cx={props.begun.xUm} cy={props.begun.yUm} r={1.5} className="mark chosen" />}
      </svg>
      <div className="zooms" role="group" aria-label={t("look.zoom")}>
        {[1, 2, 4, 8].map((z) => (
          <button key={z} type="button" aria-pressed={zoom === z} onClick={() => to(z)}>
            {z}×
          </button>
        ))}
      </div>
      {at && zoom < 4 && (
        <svg
          className="loupe"
          viewBox={`${at.xUm - LOUPE / 2} ${at.yUm - LOUPE / 2} ${LOUPE} ${LOUPE}`}
          aria-hidden="true"
        >
          <title>{t("look.loupe")}</title>
          <Content {...props} thin />
          <path d={`M${at.xUm - 2} ${at.yUm}h4M${at.xUm} ${at.yUm - 2}v4`} className="cross" />
        </svg>
      )}
    </div>
  );
}

/** The frame stays within the picture. */
const hold = (um: number) => Math.max(-REACH, Math.min(REACH, um));

const middle = (m: Mark): Place =>
  isLine(m)
    ? { xUm: ((m.x0Um ?? 0) + (m.x1Um ?? 0)) / 2, yUm: ((m.y0Um ?? 0) + (m.y1Um ?? 0)) / 2 }
    : { xUm: m.xUm ?? 0, yUm: m.yUm ?? 0 };

function Content(props: Parameters<typeof FaceMap>[0] & { thin?: boolean }) {
  const { picture: p, zones, marks, overlay } = props;
  const shown = [...zones].sort((a, b) => b.outerUm - a.outerUm);
  return (
    <>
      <rect x={-REACH} y={-REACH} width={2 * REACH} height={2 * REACH} className="outside" />
      <g transform={props.turnDeg ? `rotate(${props.turnDeg})` : undefined}>
        <image
          href={`/api/pictures/${p.pictureId}`}
          x={-(p.centreXPx + 0.5) * p.umPerPx}
          y={-(p.centreYPx + 0.5) * p.umPerPx}
          width={p.widthPx * p.umPerPx}
          height={p.heightPx * p.umPerPx}
          preserveAspectRatio="none"
        />
      </g>
      {overlay &&
        shown.map((z) => (
          <g key={z.zone}>
            <circle r={z.outerUm / 2} className="zone" strokeWidth={props.thin ? 0.25 : 0.7} />
            {!props.thin && (
              <text y={-z.outerUm / 2 + (z.zone === "C" ? -2 : 9)} textAnchor="middle" className="zoneName">
                {z.zone}
              </text>
            )}
          </g>
        ))}
      <g transform={props.turnDeg ? `rotate(${props.turnDeg})` : undefined}>
        {overlay &&
          marks.map((m, i) => {
            const tone = [
              "mark",
              props.decisive?.includes(i) ? "decisive" : "",
              props.chosen === i ? "chosen" : "",
              props.thin ? "thin" : "",
            ].join(" ");
            const Shape = isLine(m) ? LineMark : SpotMark;
            // biome-ignore lint/suspicious/noArrayIndexKey: a finding has no other name than its place in the list
            return <Shape key={i} m={m} no={i + 1} tone={tone} thin={props.thin} />;
          })}
      </g>
    </>
  );
}

function SpotMark({ m, no, tone, thin }: { m: Mark; no: number; tone: string; thin?: boolean }) {
  const [x, y, r] = [m.xUm ?? 0, m.yUm ?? 0, sizeOf(m) / 2];
  return (
    <g>
      <circle cx={x} cy={y} r={r + (thin ? 0 : 1.2)} className={tone} />
      {!thin && (
        <text x={x + r + 2} y={y - r - 1} className="markNo">
          {no}
        </text>
      )}
    </g>
  );
}

/** A scratch is framed along both sides, so that it stays to be seen. */
function LineMark({ m, no, tone, thin }: { m: Mark; no: number; tone: string; thin?: boolean }) {
  const [x0, y0, x1, y1] = [m.x0Um ?? 0, m.y0Um ?? 0, m.x1Um ?? 0, m.y1Um ?? 0];
  const length = Math.max(1e-6, Math.hypot(x1 - x0, y1 - y0));
  const half = sizeOf(m) / 2 + (thin ? 0 : 1.2);
  const [nx, ny] = [(-(y1 - y0) / length) * half, ((x1 - x0) / length) * half];
  return (
    <g>
      <path
        d={`M${x0 + nx} ${y0 + ny}L${x1 + nx} ${y1 + ny}L${x1 - nx} ${y1 - ny}L${x0 - nx} ${y0 - ny}Z`}
        className={tone}
      />
      {!thin && (
        <text x={x1 + 2} y={y1 - 2} className="markNo">
          {no}
        </text>
      )}
    </g>
  );
}

function distance(m: Mark, p: Place) {
  if (!isLine(m)) return Math.hypot((m.xUm ?? 0) - p.xUm, (m.yUm ?? 0) - p.yUm);
  const [x0, y0, x1, y1] = [m.x0Um ?? 0, m.y0Um ?? 0, m.x1Um ?? 0, m.y1Um ?? 0];
  const [dx, dy] = [x1 - x0, y1 - y0];
  const t = Math.max(0, Math.min(1, ((p.xUm - x0) * dx + (p.yUm - y0) * dy) / Math.max(1e-9, dx * dx + dy * dy)));
  return Math.hypot(p.xUm - x0 - t * dx, p.yUm - y0 - t * dy);
}

/** A mark with nothing but what the ledger keeps of it. */
export const bare = ({ kind, xUm, yUm, diameterUm, x0Um, y0Um, x1Um, y1Um, widthUm }: Mark): Mark => ({
  kind,
  xUm,
  yUm,
  diameterUm,
  x0Um,
  y0Um,
  x1Um,
  y1Um,
  widthUm,
});
