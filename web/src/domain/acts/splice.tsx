import type { Kind, Scene } from "./facts";
import { Arrow, AXIS, Box, Disc, Label, Line, Shape, Strand, Turn } from "./pen";

const electrodes = (
  <>
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
  </>
);

/** A loop in a tray, clockwise or back. */
const coil = (back: boolean) => (
  <>
    <Box x={30} y={8} w={180} h={80} />
    <Line
      at={Array.from({ length: 25 }, (_, i) => {
        const a = (i / 24) * 2 * Math.PI;
        return [Math.round((104 + 46 * Math.cos(a)) * 10) / 10, Math.round((48 + 28 * Math.sin(a)) * 10) / 10] as const;
      })}
      thick={3}
    />
    <Line
      at={[
        [8, back ? 20 : 76],
        [104, back ? 20 : 76],
      ]}
      thick={3}
    />
    <Line
      at={[
        [150, 48],
        [172, back ? 66 : 30],
        [232, back ? 66 : 30],
      ]}
      thick={3}
    />
    {back ? <Turn x={104} y={48} r={16} from={350} to={180} /> : <Turn x={104} y={48} r={16} from={180} to={350} />}
  </>
);

/** Splicer, sleeve and tray. */
export const splice = {
  tips: () => (
    <>
      <Box x={52} y={AXIS + 4} w={40} h={18} fill="metal" />
      <Box x={148} y={AXIS + 4} w={40} h={18} fill="metal" />
      <Strand coating={50} glass={107} />
      <Box x={133} y={AXIS - 1.5} w={57} h={3} fill="plain" />
      <Box x={190} y={AXIS - 3} w={46} h={6} fill="strand" />
      {electrodes}
      <Line
        at={[
          [120, 28],
          [120, 70],
        ]}
        dashed
      />
    </>
  ),
  "two-cleaves": () => (
    <>
      <Box x={24} y={8} w={192} h={80} fill="plain" />
      <Box x={24} y={AXIS - 18} w={86} h={32} />
      <Box x={130} y={AXIS - 18} w={86} h={32} />
      {[110, 130].map((x) => (
        <Line
          key={x}
          at={[
            [x, 16],
            [x, 80],
          ]}
          dashed
        />
      ))}
    </>
  ),
  arc: (f) => (
    <>
      <Strand coating={70} glass={112} />
      <Box x={128} y={AXIS - 1.5} w={42} h={3} fill="plain" />
      <Box x={170} y={AXIS - 3} w={66} h={6} fill="strand" />
      {electrodes}
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
  "lift-out": () => (
    <>
      <Shape
        at={[
          [64, 92],
          [64, 76],
          [92, 76],
          [98, 82],
          [142, 82],
          [148, 76],
          [176, 76],
          [176, 92],
        ]}
        fill="metal"
      />
      <Strand coating={92} glass={148} />
      <Box x={148} y={AXIS - 3} w={88} h={6} fill="strand" />
      <Disc x={120} y={AXIS} r={3} fill="light" />
      <Arrow from={[44, AXIS - 8]} to={[44, 10]} />
      <Arrow from={[196, AXIS - 8]} to={[196, 10]} />
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
  routing: () => coil(false),
  "routing-back": () => coil(true),
  lid: (f) => (
    <>
      <Box x={40} y={52} w={160} h={36} />
      <Line
        at={[
          [8, 70],
          [40, 70],
        ]}
        thick={3}
      />
      {f.phase === "thread" ? (
        <>
          <Shape
            at={[
              [40, 46],
              [190, 14],
              [192, 22],
              [42, 54],
            ]}
            fill="metal"
          />
          <Arrow from={[216, 44]} to={[216, 10]} />
        </>
      ) : (
        <>
          <Box x={40} y={28} w={160} h={8} fill="metal" />
          <Arrow from={[216, 10]} to={[216, 44]} />
        </>
      )}
    </>
  ),
  ribbonise: (f) => (
    <>
      {[14, 38, 62, 86].map((y, i) => (
        <Line
          key={y}
          at={[
            [6, y],
            [60, y],
            [104, 41 + i * 6],
          ]}
          thick={3}
        />
      ))}
      <Box x={104} y={36} w={130} h={28} fill="strand" />
      <Box x={100} y={26} w={24} h={48} fill="metal" />
      <Arrow from={[132, 20]} to={[190, 20]} />
      {f.lengths[0] && (
        <Label x={140} y={86}>
          {f.lengths[0]}
        </Label>
      )}
    </>
  ),
  "sleeve-tray": () => (
    <>
      <Box x={44} y={10} w={152} h={78} fill="metal" />
      {[0, 1, 2].map((i) => (
        <g key={i}>
          <Box x={56} y={18 + i * 23} w={128} h={16} fill="plain" />
          <Line
            at={[
              [64, 18 + i * 23],
              [64, 34 + i * 23],
            ]}
            thick={3}
          />
          <Label x={120} y={30 + i * 23} mid>
            {String(i + 1)}
          </Label>
        </g>
      ))}
    </>
  ),
  stand: () => (
    <>
      <Box x={78} y={50} w={76} h={38} fill="metal" />
      <Box x={180} y={40} w={54} h={48} />
      <Line
        at={[
          [6, 44],
          [104, 44],
        ]}
        thick={4}
      />
      <Line
        at={[
          [128, 44],
          [168, 44],
          [180, 60],
        ]}
        thick={4}
      />
      <Box x={92} y={8} w={48} h={16} fill="plain" />
    </>
  ),
} satisfies Partial<Record<Kind, Scene>>;
