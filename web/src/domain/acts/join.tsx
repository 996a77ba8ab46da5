import type { Kind, Scene } from "./facts";
import { Arrow, AXIS, Box, Connector, Disc, Label, Line, Shape, Span, Strand, Turn } from "./pen";

const capAt = (x: number) => <Box x={x} y={AXIS - 10} w={18} h={20} fill="metal" />;

/** Connector and fiber in tools, without adhesive. */
export const join = {
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
  "rear-cap-off": () => (
    <>
      <Connector x={128} />
      <Box x={78} y={AXIS - 10} w={18} h={20} fill="metal" />
      <Arrow from={[70, AXIS]} to={[30, AXIS]} />
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
    </>
  ),
  "turn-lever": () => (
    <>
      <Strand buffer={92} />
      <Connector x={92} />
      <Line
        at={[
          [114, 37],
          [114, 12],
        ]}
        thick={4}
      />
      <Line
        at={[
          [114, 37],
          [138, 42],
        ]}
        dashed
      />
      <Turn x={114} y={37} r={28} from={282} to={368} />
    </>
  ),
  squeeze: () => (
    <>
      <Strand buffer={92} />
      <Connector x={92} />
      <Shape
        at={[
          [104, 37],
          [126, 37],
          [120, 28],
          [110, 28],
        ]}
        fill="metal"
      />
      <Arrow from={[115, 4]} to={[115, 24]} />
      <Arrow from={[115, 92]} to={[115, 68]} />
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
  "cut-off": () => (
    <>
      <Strand buffer={60} />
      <Connector x={60} />
      <Box x={128} y={AXIS - 5} w={70} h={10} fill="metal" />
      <Line
        at={[
          [120, 20],
          [138, 80],
        ]}
        thick={2.5}
      />
      <Line
        at={[
          [138, 20],
          [120, 80],
        ]}
        thick={2.5}
      />
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
  lamp: () => (
    <>
      <Strand buffer={52} />
      <Box x={52} y={26} w={120} h={58} fill="metal" />
      <Disc x={146} y={44} r={8} fill="light" />
      <Disc x={146} y={68} r={8} fill="plain" />
      {[-1, 0, 1].map((d) => (
        <Line
          key={d}
          at={[
            [160, 44 + d * 5],
            [184, 44 + d * 14],
          ]}
        />
      ))}
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
} satisfies Partial<Record<Kind, Scene>>;
