import type { ReactNode } from "react";
import type { S } from "../../api/client";
import { Arrow, AXIS, Box, Connector, Disc, Label, Line, Shape, Span, Strand, Turn } from "./pen";

/** The figures of one act, as words of the reader's units. */
export type Facts = {
  lengths: string[];
  /** Of each length: measured from the cable's end, or between two edges. */
  fromEnd: boolean[];
  /** Something is taken off in the act: a clamp, a holder, a tool. */
  takes: boolean;
  /** What is taken off is a tool that the connector lies in. */
  outOfTool: boolean;
  phase: S["Phase"];
  count: string | null | undefined;
  drops: number;
  seconds: number | null;
  notch: string | null;
  layer: S["Layer"] | null;
  parts: number;
  /** Which of them are boots: a boot is a cone, a sleeve or a ring is straight. */
  boots: boolean[];
  lit: boolean;
  fibers: number;
  shards: number;
};

type Scene = (f: Facts) => ReactNode;

/** The lengths of a strip: those from the cable's end to the right of the blade, those between edges to its left. */
const stripped = (f: Facts, edge: number, blade: number, tip: number, y: number) =>
  f.lengths.slice(0, 2).map((label, i) => {
    const [x0, x1] = f.fromEnd[i] ? [blade, tip] : [edge, blade];
    return <Span key={f.fromEnd[i] ? "end" : "edge"} x0={x0} x1={x1} y={y} label={label} />;
  });

/** Two jaws over the axis at x, with a notch. */
const jaws = (x: number, open = 6) => (
  <>
    <Shape
      at={[
        [x - 9, 14],
        [x + 9, 14],
        [x + 9, AXIS - open - 5],
        [x + 3, AXIS - open],
        [x - 3, AXIS - open],
        [x - 9, AXIS - open - 5],
      ]}
      fill="metal"
    />
    <Shape
      at={[
        [x - 9, 86],
        [x + 9, 86],
        [x + 9, AXIS + open + 5],
        [x + 3, AXIS + open],
        [x - 3, AXIS + open],
        [x - 9, AXIS + open + 5],
      ]}
      fill="metal"
    />
  </>
);

const halfHeight: Record<S["Layer"], number> = { jacket: 10, aramid: 8, tube: 7, buffer: 5, coating: 3, glass: 2 };
const layered = (f: Facts) => ({
  jacket: f.layer === "jacket" ? 150 : 60,
  buffer: f.layer === "jacket" ? 0 : f.layer === "coating" ? 110 : 200,
  coating: f.layer === "coating" ? 200 : 0,
});

const film = (f: Facts) => (
  <>
    <Shape
      at={[
        [20, 84],
        [170, 84],
        [196, 60],
        [46, 60],
      ]}
      fill="soft"
    />
    {Array.from({ length: f.drops }, (_, i) => (
      // biome-ignore lint/suspicious/noArrayIndexKey: drops are alike
      <Disc key={i} x={58 + i * 16} y={66} r={3} fill="light" />
    ))}
  </>
);

const eight = (cx: number, cy: number, w: number, h: number) => (
  <Line
    at={Array.from({ length: 33 }, (_, i) => {
      const a = (i / 32) * 2 * Math.PI;
      return [Math.round((cx + w * Math.sin(a)) * 10) / 10, Math.round((cy + h * Math.sin(2 * a)) * 10) / 10] as const;
    })}
  />
);

const capAt = (x: number) => <Box x={x} y={AXIS - 10} w={18} h={20} fill="metal" />;

/** One drawing for each kind of act. */
export const scenes: Record<NonNullable<S["Drawing"]>, Scene> = {
  thread: (f) => (
    <>
      <Strand buffer={230} />
      {Array.from({ length: Math.max(1, Math.min(4, f.parts)) }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: parts are drawn in their order
        <g key={i}>
          <Shape
            at={[
              [150 - i * 42, AXIS - (f.boots[f.parts - 1 - i] === false ? 13 : 9)],
              [178 - i * 42, AXIS - 13],
              [178 - i * 42, AXIS + 13],
              [150 - i * 42, AXIS + (f.boots[f.parts - 1 - i] === false ? 13 : 9)],
            ]}
            fill="metal"
          />
          <Label x={164 - i * 42} y={AXIS + 4} mid>
            {String(f.parts - i > 0 ? f.parts - i : 1)}
          </Label>
        </g>
      ))}
      <Arrow from={[222, 22]} to={[186, 22]} />
    </>
  ),
  mark: (f) => (
    <>
      {f.lengths.length > 0 && f.fromEnd.every((x) => !x) ? (
        <Strand buffer={168} glass={224} />
      ) : (
        <Strand jacket={60} buffer={214} />
      )}
      <Shape
        at={[
          [104, 12],
          [114, 8],
          [118, 34],
          [112, 42],
          [106, 36],
        ]}
        fill="metal"
      />
      <Line
        at={[
          [112, AXIS - 8],
          [112, AXIS + 8],
        ]}
        thick={3}
      />
      {f.lengths.slice(0, 3).map((label, i) => (
        <Span
          key={label}
          x0={f.fromEnd[i] ? ([112, 60, 150][i] ?? 112) : 112}
          x1={f.fromEnd[i] ? 214 : 168}
          y={84 - (i === 1 ? 66 : i === 2 ? 48 : 0)}
          label={label}
        />
      ))}
    </>
  ),
  notch: (f) => (
    <>
      <Strand {...layered(f)} glass={0} />
      {f.layer === "jacket" && <Strand jacket={210} />}
      {jaws(130, f.layer ? halfHeight[f.layer] : 8)}
      {f.notch && (
        <Label x={146} y={20}>
          {f.notch}
        </Label>
      )}
      {f.lengths[0] && <Span x0={130} x1={210} y={92 - 4} label={f.lengths[0]} />}
    </>
  ),
  "twist-off": () => (
    <>
      <Strand jacket={90} buffer={224} />
      <Box x={120} y={AXIS - 10} w={60} h={20} />
      <Turn x={150} y={AXIS} r={24} />
      <Arrow from={[186, AXIS]} to={[222, AXIS]} />
    </>
  ),
  aramid: (f) => (
    <>
      <Strand jacket={90} buffer={226} />
      {[-7, -4, 4, 7].map((dy) => (
        <Line
          key={dy}
          at={[
            [90, AXIS + dy],
            [120, AXIS + dy * 1.6],
            [158, AXIS + dy * 0.9],
          ]}
        />
      ))}
      <Line
        at={[
          [150, 20],
          [166, 78],
        ]}
        thick={2.5}
      />
      <Line
        at={[
          [166, 20],
          [150, 78],
        ]}
        thick={2.5}
      />
      {f.lengths[0] && <Span x0={90} x1={158} y={90} label={f.lengths[0]} />}
    </>
  ),
  "aramid-back": (f) => (
    <>
      <Strand jacket={110} buffer={226} />
      {[-1, 1].flatMap((s) =>
        [12, 15, 18].map((d) => (
          <Line
            key={s * d}
            at={[
              [112, AXIS + s * 8],
              [124, AXIS + s * d],
              [112, AXIS + s * (d + 3)],
              [52, AXIS + s * (d + 3)],
            ]}
          />
        )),
      )}
      <Arrow from={[150, 22]} to={[116, 22]} />
      {f.parts > 0 && <Box x={92} y={AXIS - 16} w={20} h={32} fill="metal" />}
      {f.lengths[0] && (
        <Label x={170} y={26}>
          {f.lengths[0]}
        </Label>
      )}
    </>
  ),
  bite: (f) => (
    <>
      <Strand jacket={48} buffer={172} glass={226} />
      {jaws(120, 5)}
      {[138, 152, 166].map((x) => (
        <Line
          key={x}
          at={[
            [x, AXIS - 8],
            [x, AXIS + 8],
          ]}
          dashed
        />
      ))}
      <Arrow from={[180, 34]} to={[222, 34]} />
      {f.notch && (
        <Label x={134} y={24}>
          {f.notch}
        </Label>
      )}
      {stripped(f, 48, 120, 226, 90)}
    </>
  ),
  "coating-strip": (f) => (
    <>
      {f.fibers > 1 ? (
        [-9, -3, 3, 9].map((d) => <Strand key={d} coating={120} glass={224} y={AXIS + d} />)
      ) : (
        <Strand buffer={74} coating={140} glass={224} />
      )}
      {jaws(140, f.fibers > 1 ? 15 : 3)}
      <Arrow from={[176, 34]} to={[218, 34]} />
      {f.notch && (
        <Label x={154} y={24}>
          {f.notch}
        </Label>
      )}
      {stripped(f, 74, 140, 224, 90)}
    </>
  ),
  wipe: (f) => (
    <>
      {f.phase === "finish" ? (
        <>
          <Strand buffer={62} />
          <Connector x={62} />
        </>
      ) : (
        <Strand buffer={90} glass={228} />
      )}
      <Shape
        at={[
          [120, 26],
          [164, 26],
          [164, AXIS - 2],
          [120, AXIS - 2],
        ]}
        fill="plain"
      />
      <Shape
        at={[
          [120, AXIS + 2],
          [164, AXIS + 2],
          [164, 74],
          [120, 74],
        ]}
        fill="plain"
      />
      <Arrow from={[170, AXIS - 12]} to={[214, AXIS - 12]} />
      <Turn x={142} y={AXIS} r={34} from={215} to={305} />
      {f.count && (
        <Label x={186} y={80}>
          {`${f.count} ×`}
        </Label>
      )}
    </>
  ),
  flick: () => (
    <>
      <Strand buffer={90} glass={206} />
      <Line
        at={[
          [92, AXIS],
          [150, AXIS - 6],
          [200, AXIS - 26],
        ]}
        dashed
      />
      <Line
        at={[
          [92, AXIS],
          [150, AXIS + 6],
          [200, AXIS + 26],
        ]}
        dashed
      />
      <Arrow from={[212, AXIS - 6]} to={[212, AXIS - 28]} />
      <Arrow from={[212, AXIS + 6]} to={[212, AXIS + 28]} />
      <Disc x={228} y={AXIS} r={4} fill="plain" />
    </>
  ),
  bend: () => (
    <>
      <Strand buffer={90} />
      <Line
        at={[
          [90, AXIS + 8],
          [126, AXIS + 8],
          [144, AXIS + 2],
          [160, AXIS - 16],
          [172, AXIS - 38],
        ]}
        thick={3}
      />
      <Turn x={128} y={AXIS + 8} r={40} from={360} to={302} />
      <Label x={180} y={AXIS - 4}>
        60°
      </Label>
    </>
  ),
  load: (f) => (
    <>
      <Shape
        at={[
          [40, 90],
          [40, 66],
          [90, 66],
          [98, 74],
          [154, 74],
          [162, 66],
          [204, 66],
          [204, 90],
        ]}
        fill="metal"
      />
      {f.parts > 0 ? (
        <>
          <Connector x={98} y={38} />
          <Strand buffer={40} y={38} />
        </>
      ) : (
        <Strand buffer={92} glass={124} y={38} />
      )}
      <Arrow from={[128, 54]} to={[128, 72]} />
    </>
  ),
  "cap-off": () => (
    <>
      <Connector x={60} />
      {capAt(160)}
      <Arrow from={[184, AXIS]} to={[222, AXIS]} />
    </>
  ),
  "cap-on": () => (
    <>
      <Connector x={60} />
      {capAt(178)}
      <Arrow from={[174, AXIS - 18]} to={[132, AXIS - 18]} />
    </>
  ),
  holder: (f) => (
    <>
      <Strand buffer={150} glass={224} />
      <Box x={70} y={AXIS + 6} w={80} h={20} fill="metal" />
      <Box x={84} y={AXIS - 30} w={52} h={18} fill="metal" />
      {f.takes ? (
        <Arrow from={[150, AXIS - 12]} to={[150, AXIS - 34]} />
      ) : (
        <Arrow from={[110, AXIS - 12]} to={[110, AXIS - 6]} />
      )}
      {f.lengths[0] && <Span x0={150} x1={210} y={26} label={f.lengths[0]} />}
    </>
  ),
  cleave: (f) => (
    <>
      <Strand buffer={96} glass={168} />
      <Box x={178} y={AXIS - 1.5} w={34} h={3} fill="plain" />
      <Shape
        at={[
          [166, 86],
          [180, 86],
          [173, AXIS + 4],
        ]}
        fill="metal"
      />
      <Line
        at={[
          [96, 30],
          [96, AXIS - 8],
        ]}
        dashed
      />
      {f.lengths[0] && <Span x0={96} x1={173} y={26} label={f.lengths[0]} />}
      <Box x={204} y={68} w={28} h={20} />
      <Arrow from={[206, AXIS + 4]} to={[214, 66]} />
      {f.shards > 0 && (
        <Label x={218} y={82} mid>
          {String(f.shards)}
        </Label>
      )}
    </>
  ),
  "angled-cleave": (f) => (
    <>
      <Strand buffer={96} glass={166} />
      <Disc x={140} y={AXIS - 7} r={3.5} fill="light" />
      <Shape
        at={[
          [180, 88],
          [194, 84],
          [170, AXIS + 4],
        ]}
        fill="metal"
      />
      <Line
        at={[
          [166, AXIS - 8],
          [174, AXIS + 8],
        ]}
        thick={2.5}
      />
      <Turn x={140} y={AXIS} r={26} from={230} to={310} />
      {f.lengths[0] && <Span x0={96} x1={170} y={86} label={f.lengths[0]} />}
    </>
  ),
  "side-view": (f) => (
    <>
      <Strand buffer={80} glass={120} />
      <Disc x={178} y={AXIS} r={40} fill="plain" />
      <Shape
        at={[
          [140, AXIS - 14],
          [184, AXIS - 14],
          [184, AXIS + 14],
          [140, AXIS + 14],
        ]}
      />
      <Line
        at={[
          [124, AXIS - 4],
          [140, AXIS - 18],
        ]}
        dashed
      />
      <Line
        at={[
          [124, AXIS + 4],
          [140, AXIS + 18],
        ]}
        dashed
      />
      {f.lengths[0] && <Span x0={80} x1={120} y={26} label={f.lengths[0]} />}
    </>
  ),
  insert: (f) => (
    <>
      <Strand buffer={92} glass={126} />
      <Connector x={150} />
      <Arrow from={[100, AXIS - 16]} to={[142, AXIS - 16]} />
      {f.lengths.length > 0 && (
        <Line
          at={[
            [64, AXIS - 9],
            [64, AXIS + 9],
          ]}
          thick={3}
        />
      )}
      {f.lengths[0] && <Span x0={64} x1={92} y={84} label={f.lengths[0]} />}
      {f.lengths[1] && (
        <Label x={140} y={90}>
          {f.lengths[1]}
        </Label>
      )}
    </>
  ),
  bow: () => (
    <>
      <Box x={10} y={AXIS - 12} w={26} h={24} fill="metal" />
      <Line
        at={[
          [36, AXIS],
          [60, AXIS - 10],
          [90, AXIS - 18],
          [120, AXIS - 10],
          [150, AXIS],
        ]}
        thick={3}
      />
      <Line
        at={[
          [36, AXIS],
          [150, AXIS],
        ]}
        dashed
      />
      <Connector x={150} />
      <Arrow from={[93, AXIS + 24]} to={[93, AXIS - 8]} />
    </>
  ),
  lock: () => (
    <>
      <Strand buffer={92} />
      <Connector x={92} />
      <Box x={104} y={AXIS - 28} w={20} h={15} fill="metal" />
      <Arrow from={[114, 6]} to={[114, 20]} />
      <Turn x={114} y={AXIS} r={34} from={20} to={100} />
    </>
  ),
  release: (f) =>
    f.outOfTool ? (
      <>
        <Shape
          at={[
            [64, 92],
            [64, 76],
            [92, 76],
            [98, 82],
            [150, 82],
            [156, 76],
            [184, 76],
            [184, 92],
          ]}
          fill="metal"
        />
        <Strand buffer={92} />
        <Connector x={92} />
        <Arrow from={[206, 80]} to={[206, 30]} />
      </>
    ) : (
      <>
        <Strand buffer={92} />
        <Connector x={92} />
        <Shape
          at={[
            [104, 32],
            [126, 32],
            [120, 20],
            [110, 20],
          ]}
          fill="metal"
        />
        <Arrow from={[115, 20]} to={[115, 4]} />
        <Arrow from={[100, 88]} to={[100, 68]} />
        <Arrow from={[140, 12]} to={[140, 32]} />
      </>
    ),
  glow: () => (
    <>
      <Connector x={20} window="glow" />
      {[26, 34, 42, 50].map((x) => (
        <Line
          key={x}
          at={[
            [x + 2, AXIS - 16],
            [x - 1 + (x - 38) / 6, AXIS - 28],
          ]}
        />
      ))}
      <Arrow from={[92, AXIS]} to={[126, AXIS]} />
      <Connector x={138} window="plain" />
      <Line
        at={[
          [158, AXIS - 16],
          [157, AXIS - 22],
        ]}
      />
    </>
  ),
  inject: () => (
    <>
      <Box x={8} y={AXIS - 8} w={56} h={16} fill="plain" />
      <Line
        at={[
          [64, AXIS],
          [110, AXIS],
        ]}
        thick={2.5}
      />
      <Connector x={112} />
      <Disc x={178} y={AXIS} r={6} fill="light" />
      <Arrow from={[14, AXIS - 18]} to={[52, AXIS - 18]} />
    </>
  ),
  primer: () => (
    <>
      <Strand buffer={90} glass={220} />
      <Box x={92} y={AXIS - 3} w={60} h={6} fill="light" />
      <Shape
        at={[
          [112, AXIS - 6],
          [132, AXIS - 6],
          [128, AXIS - 20],
          [116, AXIS - 20],
        ]}
        fill="plain"
      />
      <Line
        at={[
          [122, AXIS - 20],
          [134, 8],
        ]}
        thick={3}
      />
      <Arrow from={[98, 84]} to={[150, 84]} />
    </>
  ),
  hold: (f) => (
    <>
      <Strand buffer={96} />
      <Connector x={96} />
      <Disc x={206} y={AXIS} r={24} fill="plain" />
      <Line
        at={[
          [206, AXIS],
          [206, AXIS - 17],
        ]}
      />
      <Line
        at={[
          [206, AXIS],
          [216, AXIS + 6],
        ]}
      />
      {f.seconds !== null && (
        <Label x={206} y={90} mid>
          {`${f.seconds} s`}
        </Label>
      )}
    </>
  ),
  tug: () => (
    <>
      <Strand buffer={110} />
      <Connector x={110} />
      <Arrow from={[88, AXIS - 18]} to={[50, AXIS - 18]} />
      <Arrow from={[88, AXIS + 18]} to={[50, AXIS + 18]} />
    </>
  ),
  crimp: (f) => (
    <>
      <Strand jacket={84} />
      {f.phase !== "thread" && <Connector x={128} />}
      <Box x={84} y={AXIS - 13} w={44} h={26} fill="metal" />
      <Shape
        at={[
          [92, 8],
          [120, 8],
          [120, 26],
          [112, 34],
          [100, 34],
          [92, 26],
        ]}
      />
      <Shape
        at={[
          [92, 92],
          [120, 92],
          [120, 74],
          [112, 66],
          [100, 66],
          [92, 74],
        ]}
      />
      <Arrow from={[70, 20]} to={[70, 34]} />
      <Arrow from={[70, 80]} to={[70, 66]} />
      {f.lengths[0] && (
        <Label x={140} y={90}>
          {f.lengths[0]}
        </Label>
      )}
    </>
  ),
  scribe: () => (
    <>
      <Connector x={50} />
      <Disc x={114} y={AXIS} r={6} fill="light" />
      <Box x={119} y={AXIS - 1.5} w={60} h={3} fill="plain" />
      <Shape
        at={[
          [122, AXIS - 3],
          [150, 14],
          [160, 20],
          [126, AXIS - 2],
        ]}
        fill="metal"
      />
      <Arrow from={[184, AXIS + 14]} to={[226, AXIS + 14]} />
    </>
  ),
  "air-polish": () => (
    <>
      <Line
        at={[
          [30, 84],
          [70, 76],
          [120, 72],
          [170, 76],
          [210, 84],
        ]}
        thick={2.5}
      />
      <Box x={112} y={10} w={16} h={48} fill="plain" />
      <Disc x={120} y={60} r={6} fill="light" />
      <Line
        at={[
          [104, 61],
          [136, 61],
        ]}
        dashed
      />
      <Turn x={120} y={62} r={30} from={150} to={30} />
    </>
  ),
  eights: (f) => (
    <>
      {film(f)}
      {eight(108, 70, 44, 8)}
      <Shape
        at={[
          [94, 44],
          [124, 44],
          [124, 56],
          [94, 56],
        ]}
        fill="metal"
      />
      <Box x={103} y={14} w={12} h={30} fill="plain" />
      {f.count && (
        <Label x={204} y={50}>
          {f.count}
        </Label>
      )}
      {f.drops > 0 && (
        <>
          <Disc x={186} y={22} r={3.5} fill="light" />
          <Label x={196} y={26}>{`× ${f.drops}`}</Label>
        </>
      )}
    </>
  ),
  "end-face": () => (
    <>
      <Disc x={120} y={48} r={42} fill="plain" />
      <Disc x={120} y={48} r={26} />
      <Disc x={120} y={48} r={6} fill="light" />
      <Line
        at={[
          [182, 20],
          [150, 34],
        ]}
        dashed
      />
      <Box x={182} y={10} w={34} h={20} fill="metal" />
    </>
  ),
  arc: (f) => (
    <>
      <Strand coating={70} glass={112} />
      <Box x={128} y={AXIS - 1.5} w={42} h={3} fill="plain" />
      <Box x={170} y={AXIS - 3} w={66} h={6} fill="strand" />
      <Shape
        at={[
          [112, 4],
          [128, 4],
          [120, 26],
        ]}
        fill="metal"
      />
      <Shape
        at={[
          [112, 92],
          [128, 92],
          [120, 72],
        ]}
        fill="metal"
      />
      <Line
        at={[
          [120, 28],
          [117, 38],
          [123, 46],
          [117, 56],
          [120, 70],
        ]}
      />
      {f.fibers > 1 && (
        <Label x={196} y={30}>
          {`× ${f.fibers}`}
        </Label>
      )}
    </>
  ),
  sleeve: (f) => (
    <>
      <Strand buffer={84} glass={156} />
      <Box x={156} y={AXIS - 5} w={80} h={10} fill="strand" />
      <Box x={62} y={AXIS - 11} w={116} h={22} fill="plain" />
      <Line
        at={[
          [66, AXIS + 7],
          [174, AXIS + 7],
        ]}
        thick={2.5}
      />
      {[90, 120, 150].map((x) => (
        <Line
          key={x}
          at={[
            [x, 88],
            [x - 4, 82],
            [x + 4, 76],
            [x, 70],
          ]}
        />
      ))}
      {f.seconds !== null && (
        <Label x={120} y={24} mid>
          {`${f.seconds} s`}
        </Label>
      )}
    </>
  ),
  routing: () => (
    <>
      <Box x={30} y={8} w={180} h={80} />
      <Line
        at={Array.from({ length: 25 }, (_, i) => {
          const a = (i / 24) * 2 * Math.PI;
          return [
            Math.round((104 + 46 * Math.cos(a)) * 10) / 10,
            Math.round((48 + 28 * Math.sin(a)) * 10) / 10,
          ] as const;
        })}
        thick={3}
      />
      <Line
        at={[
          [8, 76],
          [104, 76],
        ]}
        thick={3}
      />
      <Line
        at={[
          [150, 48],
          [172, 30],
          [232, 30],
        ]}
        thick={3}
      />
      <Turn x={104} y={48} r={16} from={180} to={350} />
    </>
  ),
  heat: (f) => (
    <>
      <Box x={60} y={30} w={120} h={58} fill="metal" />
      <Box x={108} y={20} w={24} h={34} />
      {[80, 100, 140, 160].map((x) => (
        <Line
          key={x}
          at={[
            [x, 80],
            [x - 4, 72],
            [x + 4, 64],
            [x, 56],
          ]}
        />
      ))}
      {f.seconds !== null && (
        <Label x={190} y={26}>
          {f.seconds >= 120 ? `${Math.round(f.seconds / 60)} min` : `${f.seconds} s`}
        </Label>
      )}
    </>
  ),
  close: (f) => (
    <>
      <Strand buffer={40} />
      <Shape
        at={[
          [46, AXIS - 6],
          [92, AXIS - 12],
          [92, AXIS + 12],
          [46, AXIS + 6],
        ]}
        fill="metal"
      />
      <Connector x={128} />
      <Arrow from={[96, AXIS - 20]} to={[124, AXIS - 20]} />
      {f.parts > 0 && <Box x={120} y={AXIS - 20} w={56} h={40} fill="plain" />}
    </>
  ),
  compare: () => (
    <>
      <Box x={24} y={14} w={80} h={68} fill="plain" />
      <Connector x={34} y={36} />
      <Disc x={64} y={66} r={9} fill="strand" />
      <Disc x={64} y={66} r={3} fill="light" />
      <Line
        at={[
          [116, 44],
          [128, 44],
        ]}
      />
      <Line
        at={[
          [116, 52],
          [128, 52],
        ]}
      />
      <Strand jacket={220} buffer={230} from={140} />
      <Disc x={186} y={80} r={9} fill="strand" />
      <Disc x={186} y={80} r={3} fill="light" />
    </>
  ),
  "pair-clip": () => (
    <>
      <Strand buffer={84} y={30} />
      <Strand buffer={84} y={68} />
      <Connector x={84} y={30} />
      <Connector x={84} y={68} />
      <Box x={94} y={12} w={24} h={74} fill="metal" />
      <Label x={158} y={34}>
        A
      </Label>
      <Label x={158} y={72}>
        B
      </Label>
    </>
  ),
};
