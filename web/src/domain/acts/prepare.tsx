import type { S } from "../../api/client";
import type { Facts, Kind, Scene } from "./facts";
import { Arrow, AXIS, Box, Connector, Disc, Label, Line, Shape, Span, Strand, Turn } from "./pen";

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

/** From the bag to the bent glass. */
export const prepare = {
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
  "lay-out": (f) => (
    <>
      <Line
        at={[
          [16, 72],
          [224, 72],
        ]}
      />
      {Array.from({ length: Math.max(1, Math.min(4, f.parts)) }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: parts are drawn in their order
        <g key={i}>
          <Box x={24 + i * 52} y={44} w={34} h={26} fill="metal" />
          <Label x={41 + i * 52} y={61} mid>
            {String(i + 1)}
          </Label>
        </g>
      ))}
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
  mark: (f) => (
    <>
      {f.lengths.length > 0 && f.fromEnd.every((x) => !x) ? (
        <Strand buffer={168} glass={224} />
      ) : (
        <Strand jacket={f.jacketed ? 60 : 0} buffer={214} />
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
  "draw-out": (f) => (
    <>
      <Strand coating={218} />
      <Box x={4} y={AXIS - 11} w={116} h={22} fill="plain" />
      <Arrow from={[150, 26]} to={[212, 26]} />
      {f.lengths[0] && <Span x0={120} x1={218} y={84} label={f.lengths[0]} />}
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
  tilt: (f) => (
    <>
      <Strand jacket={f.jacketed ? 48 : 0} buffer={226} />
      <g transform="rotate(14 120 50)">{jaws(120, 5)}</g>
      <Turn x={120} y={AXIS} r={42} from={285} to={322} />
      {f.notch && (
        <Label x={168} y={30}>
          {f.notch}
        </Label>
      )}
    </>
  ),
  bite: (f) => (
    <>
      <Strand jacket={f.jacketed ? 48 : 0} buffer={172} glass={226} />
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
} satisfies Partial<Record<Kind, Scene>>;
