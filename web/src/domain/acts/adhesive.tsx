import type { Facts, Kind, Scene } from "./facts";
import { Arrow, AXIS, Box, Connector, Disc, Label, Line, Shape, Strand, Turn } from "./pen";

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

const wave = (x: number) => (
  <Line
    key={x}
    at={[
      [x, 80],
      [x - 4, 72],
      [x + 4, 64],
      [x, 56],
    ]}
  />
);

/** How long it takes. */
const waits = ({ seconds }: Facts) =>
  seconds !== null && (
    <Label x={190} y={26}>
      {seconds >= 120 ? `${Math.round(seconds / 60)} min` : `${seconds} s`}
    </Label>
  );

/** Adhesive, heat, film and the look at the end face. */
export const adhesive = {
  mix: () => (
    <>
      <Box x={24} y={28} w={84} h={42} fill="plain" />
      <Disc x={46} y={49} r={10} />
      <Disc x={86} y={49} r={10} fill="metal" />
      <Line
        at={[
          [66, 22],
          [66, 76],
        ]}
        dashed
      />
      <Arrow from={[118, 49]} to={[144, 49]} />
      <Box x={154} y={28} w={64} h={42} fill="light" />
      <Turn x={186} y={49} r={13} from={150} to={400} />
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
  heat: (f) => (
    <>
      <Box x={60} y={30} w={120} h={58} fill="metal" />
      <Box x={108} y={20} w={24} h={34} />
      {[80, 100, 140, 160].map(wave)}
      {waits(f)}
    </>
  ),
  "feed-down": () => (
    <>
      <Box x={70} y={54} w={100} h={36} fill="metal" />
      {[84, 156].map(wave)}
      <Box x={104} y={36} w={32} h={42} />
      <Box x={115} y={2} w={10} h={18} fill="strand" />
      <Box x={118.5} y={20} w={3} h={12} fill="plain" />
      <Arrow from={[156, 6]} to={[156, 32]} />
    </>
  ),
  cool: (f) => (
    <>
      <Box x={108} y={22} w={24} h={36} />
      <Box x={56} y={58} w={128} h={8} fill="metal" />
      {[70, 90, 110, 130, 150, 170].map((x) => (
        <Line
          key={x}
          at={[
            [x, 66],
            [x, 84],
          ]}
          thick={3}
        />
      ))}
      <Arrow from={[88, 20]} to={[88, 50]} />
      {waits(f)}
    </>
  ),
  bead: () => (
    <>
      <Strand buffer={24} />
      <Box x={24} y={AXIS - 20} w={56} h={40} />
      <Disc x={150} y={AXIS} r={42} fill="plain" />
      <Box x={80} y={AXIS - 14} w={62} h={28} fill="plain" />
      <Disc x={152} y={AXIS} r={13} fill="light" />
      <Box x={164} y={AXIS - 1.5} w={62} h={3} fill="plain" />
    </>
  ),
  shrink: (f) => (
    <>
      <Strand jacket={110} />
      <Connector x={120} />
      <Box x={66} y={AXIS - 14} w={72} h={28} fill="plain" />
      {[80, 102, 124].map((x) => (
        <Line
          key={x}
          at={[
            [x, 90],
            [x - 4, 84],
            [x + 4, 78],
            [x, 72],
          ]}
        />
      ))}
      <Arrow from={[62, 22]} to={[104, 22]} />
      {waits(f)}
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
  "grip-puck": (f) => (
    <>
      {film(f)}
      <Box x={94} y={44} w={30} h={12} fill="metal" />
      <Box x={103} y={14} w={12} h={30} fill="plain" />
      <Arrow from={[60, 50]} to={[90, 50]} />
      <Arrow from={[158, 50]} to={[128, 50]} />
    </>
  ),
  "grip-connector": (f) => (
    <>
      {film(f)}
      <Box x={94} y={44} w={30} h={12} fill="metal" />
      <Box x={103} y={14} w={12} h={30} fill="plain" />
      <Arrow from={[68, 26]} to={[99, 26]} />
      <Arrow from={[150, 26]} to={[119, 26]} />
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
} satisfies Partial<Record<Kind, Scene>>;
