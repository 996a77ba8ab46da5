import { createContext, type ReactNode, useContext } from "react";
import type { S } from "../../api/client";

/** The frame of every drawing, in its own units. One quiet line: ink for things, a light fill, the strand's colour on the strand. */
export const WIDTH = 240;
export const HEIGHT = 96;
/** The axis on which fiber and connector lie. */
export const AXIS = 50;

export type Fill = "soft" | "plain" | "strand" | "light" | "glow" | "metal";

type Points = readonly (readonly [number, number])[];

export const Line = ({ at, dashed, thick }: { at: Points; dashed?: boolean; thick?: number }) => (
  <polyline
    points={at.map((p) => p.join(",")).join(" ")}
    fill="none"
    stroke="currentColor"
    strokeWidth={thick ?? 1.5}
    strokeDasharray={dashed ? "4 3" : undefined}
    strokeLinecap="round"
    strokeLinejoin="round"
  />
);

export const Shape = ({ at, fill = "soft" }: { at: Points; fill?: Fill }) => (
  <polygon
    points={at.map((p) => p.join(",")).join(" ")}
    className={`draw-${fill}`}
    stroke="currentColor"
    strokeWidth="1.5"
    strokeLinejoin="round"
  />
);

export const Box = (p: { x: number; y: number; w: number; h: number; fill?: Fill }) => (
  <rect
    x={p.x}
    y={p.y}
    width={p.w}
    height={p.h}
    rx="2"
    className={`draw-${p.fill ?? "soft"}`}
    stroke="currentColor"
    strokeWidth="1.5"
  />
);

export const Disc = (p: { x: number; y: number; r: number; fill?: Fill }) => (
  <circle cx={p.x} cy={p.y} r={p.r} className={`draw-${p.fill ?? "soft"}`} stroke="currentColor" strokeWidth="1.5" />
);

/** An arrow from one point to another. */
export function Arrow({ from: [x0, y0], to: [x1, y1] }: { from: [number, number]; to: [number, number] }) {
  const far = Math.hypot(x1 - x0, y1 - y0) || 1;
  const [ux, uy] = [(x1 - x0) / far, (y1 - y0) / far];
  const wing = (side: number): [number, number] => [x1 - 6 * ux - side * 3.5 * uy, y1 - 6 * uy + side * 3.5 * ux];
  return (
    <>
      <Line
        at={[
          [x0, y0],
          [x1, y1],
        ]}
      />
      <Line at={[wing(1), [x1, y1], wing(-1)]} />
    </>
  );
}

/** A turn about a point, as part of a circle with an arrow's head. */
export function Turn(p: { x: number; y: number; r: number; from?: number; to?: number }) {
  const [a, b] = [p.from ?? 200, p.to ?? 340];
  const at = (deg: number, r = p.r): [number, number] => [
    p.x + r * Math.cos((deg * Math.PI) / 180),
    p.y + r * Math.sin((deg * Math.PI) / 180),
  ];
  const steps = Array.from({ length: 13 }, (_, i) => at(a + ((b - a) * i) / 12));
  const back = b > a ? -14 : 14;
  return (
    <>
      <Line at={steps} />
      <Line at={[at(b + back, p.r + 4), at(b), at(b + back, p.r - 4)]} />
    </>
  );
}

const LETTER = 5.7;

/** Words in the drawing, kept within its frame. */
export function Label({ x, y, children, mid }: { x: number; y: number; children: string; mid?: boolean }) {
  const wide = children.length * LETTER;
  const left = mid ? x - wide / 2 : x;
  const kept = Math.max(2, Math.min(left, WIDTH - 2 - wide));
  return (
    <text x={Math.round(kept * 10) / 10} y={y} fontSize="10.5" fill="currentColor" stroke="none">
      {children}
    </text>
  );
}

/** A length between two places, with its figure over it. */
export const Span = ({ x0, x1, y, label }: { x0: number; x1: number; y: number; label: string }) => (
  <>
    <Line
      at={[
        [x0, y - 4],
        [x0, y + 4],
      ]}
    />
    <Line
      at={[
        [x0, y],
        [x1, y],
      ]}
    />
    <Line
      at={[
        [x1, y - 4],
        [x1, y + 4],
      ]}
    />
    <Label x={(x0 + x1) / 2} y={y - 5} mid>
      {label}
    </Label>
  </>
);

/** A prepared end from the left: jacket, buffer or coating in the strand's colour, bare glass. Zero or less leaves a layer out. */
export function Strand(p: {
  jacket?: number;
  buffer?: number;
  coating?: number;
  glass?: number;
  y?: number;
  from?: number;
}) {
  const y = p.y ?? AXIS;
  const x = p.from ?? 4;
  const layer = (to: number | undefined, h: number, fill: "soft" | "strand" | "plain") =>
    to !== undefined && to > x && <Box x={x} y={y - h / 2} w={to - x} h={h} fill={fill} />;
  return (
    <>
      {layer(p.glass, 3, "plain")}
      {layer(p.coating, 6, "strand")}
      {layer(p.buffer, 10, "strand")}
      {layer(p.jacket, 20, "soft")}
    </>
  );
}

/** The form of the connector that is drawn: of this end, else an SC. */
export const FormOf = createContext<S["ConnectorForm"]>("SC");

/** Body and ferrule of each form, from its open back at 0: half heights, and what tells it apart. */
const bodies: Record<S["ConnectorForm"], { body: number; half: number; ferrule: number; mark: Points[] }> = {
  SC: { body: 44, half: 13, ferrule: 6, mark: [] },
  LC: {
    body: 44,
    half: 9,
    ferrule: 3.5,
    mark: [
      [
        [40, -9],
        [14, -19],
        [8, -19],
      ],
    ],
  },
  ST: {
    body: 44,
    half: 10,
    ferrule: 6,
    mark: [
      [
        [22, -14],
        [40, -14],
        [40, 14],
        [22, 14],
        [22, -14],
      ],
      [
        [40, -4],
        [30, -4],
        [30, 4],
      ],
    ],
  },
  FC: {
    body: 44,
    half: 10,
    ferrule: 6,
    mark: [
      [
        [20, -14],
        [40, -14],
        [40, 14],
        [20, 14],
        [20, -14],
      ],
      ...[25, 30, 35].map(
        (x): Points => [
          [x, -14],
          [x, 14],
        ],
      ),
    ],
  },
  MPO: {
    body: 44,
    half: 16,
    ferrule: 11,
    mark: [
      [
        [46, -4],
        [58, -4],
      ],
      [
        [46, 4],
        [58, 4],
      ],
    ],
  },
  "hardened-drop": {
    body: 44,
    half: 15,
    ferrule: 6,
    mark: [
      [
        [0, -9],
        [10, -15],
      ],
      [
        [0, 9],
        [10, 15],
      ],
    ],
  },
};

/** A connector whose open back is at x, its ferrule to the right. */
export function Connector({ x, y = AXIS, cap, window }: { x: number; y?: number; cap?: boolean; window?: Fill }) {
  const { body, half, ferrule, mark } = bodies[useContext(FormOf)];
  return (
    <>
      <Box x={x} y={y - half} w={body} h={2 * half} />
      <Box x={x + body} y={y - ferrule} w={16} h={2 * ferrule} fill="plain" />
      {mark.map((line) => (
        <Line key={line.join()} at={line.map(([dx, dy]) => [x + dx, y + dy] as const)} />
      ))}
      {window && <Box x={x + 12} y={y - 8} w={16} h={8} fill={window} />}
      {cap && <Box x={x + body + 2} y={y - 10} w={18} h={20} fill="metal" />}
    </>
  );
}

export const Group = ({ children }: { children: ReactNode }) => <g>{children}</g>;
