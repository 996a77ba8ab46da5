import type { ReactNode } from "react";
import type { S } from "../../api/client";
import { Box, Disc, type Fill, Line, Shape } from "./pen";

const face = (mark?: ReactNode, core = true) => (
  <>
    <Disc x={30} y={20} r={17} fill="plain" />
    <Disc x={30} y={20} r={10} />
    {core && <Disc x={30} y={20} r={2.5} fill="light" />}
    {mark}
  </>
);
const end = (at: [number, number][], mark?: ReactNode) => (
  <>
    <Shape at={[[4, 12], ...at, [4, 28]]} />
    {mark}
  </>
);
const window = (fill: Fill, rays: number, mark?: ReactNode) => (
  <>
    <Box x={10} y={16} w={40} h={20} />
    <Box x={20} y={20} w={20} h={10} fill={fill} />
    {[22, 27, 32, 37].slice(0, rays).map((x) => (
      <Line
        key={x}
        at={[
          [x, 14],
          [x - 2 + (x - 22) / 4, 4],
        ]}
      />
    ))}
    {mark}
  </>
);
const lamp = (fill: Fill, mark: ReactNode) => (
  <>
    <Disc x={30} y={20} r={12} fill={fill} />
    {mark}
  </>
);
const joint = (mark: ReactNode) => (
  <>
    <Box x={4} y={17} w={24} h={6} fill="plain" />
    <Box x={32} y={17} w={24} h={6} fill="plain" />
    {mark}
  </>
);
const sleeve = (mark: ReactNode) => (
  <>
    <Box x={6} y={12} w={48} h={16} fill="plain" />
    {mark}
  </>
);
const seat = (tip: number, mark?: ReactNode) => (
  <>
    <Box x={30} y={10} w={24} h={20} />
    <Box x={4} y={18} w={tip - 4} h={4} fill="strand" />
    {mark}
  </>
);
const stub = (mark: ReactNode) => (
  <>
    <Box x={8} y={12} w={22} h={16} fill="plain" />
    {mark}
  </>
);
const tick = (
  <Line
    at={[
      [22, 20],
      [28, 27],
      [40, 12],
    ]}
    thick={2.5}
  />
);
const cross = (
  <>
    <Line
      at={[
        [22, 12],
        [38, 28],
      ]}
      thick={2.5}
    />
    <Line
      at={[
        [38, 12],
        [22, 28],
      ]}
      thick={2.5}
    />
  </>
);

const snap = {
  held: (
    <Line
      at={[
        [6, 24],
        [30, 22],
        [54, 12],
      ]}
      thick={2.5}
    />
  ),
  snapped: (
    <>
      <Line
        at={[
          [6, 24],
          [28, 22],
        ]}
        thick={2.5}
      />
      <Line
        at={[
          [34, 26],
          [54, 34],
        ]}
        thick={2.5}
      />
    </>
  ),
};

/** Answers that the eye gives, each as it looks. */
const seen: Partial<Record<NonNullable<S["Drawing"]>, Record<string, ReactNode>>> = {
  "side-view": {
    clean: end([
      [44, 12],
      [44, 28],
    ]),
    right: end(
      [
        [44, 12],
        [44, 28],
      ],
      <Line
        at={[
          [44, 4],
          [44, 36],
        ]}
        dashed
      />,
    ),
    lip: end([
      [44, 12],
      [44, 25],
      [50, 27],
      [44, 28],
    ]),
    chipped: end([
      [44, 12],
      [44, 18],
      [36, 22],
      [44, 28],
    ]),
    length: end(
      [
        [30, 12],
        [30, 28],
      ],
      <Line
        at={[
          [44, 4],
          [44, 36],
        ]}
        dashed
      />,
    ),
    angled: end(
      [
        [40, 12],
        [47, 28],
      ],
      <Disc x={24} y={12} r={4} fill="plain" />,
    ),
    "mark-lost": end(
      [
        [40, 12],
        [47, 28],
      ],
      <Disc x={24} y={28} r={4} fill="plain" />,
    ),
  },
  "two-cleaves": {
    yes: joint(
      <Line
        at={[
          [29, 8],
          [29, 32],
        ]}
        dashed
      />,
    ),
    cable: (
      <>
        <Shape
          at={[
            [4, 16],
            [28, 16],
            [22, 24],
            [4, 24],
          ]}
        />
        <Box x={34} y={16} w={22} h={8} fill="plain" />
      </>
    ),
    stub: (
      <>
        <Box x={4} y={16} w={22} h={8} fill="plain" />
        <Shape
          at={[
            [32, 16],
            [56, 16],
            [56, 24],
            [38, 24],
          ]}
        />
      </>
    ),
    over: (
      <>
        <Shape
          at={[
            [4, 16],
            [28, 16],
            [22, 24],
            [4, 24],
          ]}
        />
        <Shape
          at={[
            [32, 16],
            [56, 16],
            [56, 24],
            [38, 24],
          ]}
        />
      </>
    ),
    unseen: <Box x={4} y={16} w={18} h={8} fill="plain" />,
  },
  glow: {
    dims: window("soft", 1),
    bright: window("glow", 4),
    none: window("plain", 0),
    some: window("glow", 2),
  },
  lamp: {
    green: lamp("plain", tick),
    red: lamp("glow", cross),
    yellow: lamp(
      "light",
      <Line
        at={[
          [30, 12],
          [30, 28],
        ]}
        dashed
      />,
    ),
  },
  "end-face": {
    clear: face(),
    residue: face(
      <Shape
        at={[
          [36, 24],
          [44, 22],
          [46, 30],
          [38, 32],
        ]}
        fill="metal"
      />,
    ),
    "fine-scratches": face(
      <>
        <Line
          at={[
            [18, 12],
            [34, 30],
          ]}
          thick={0.8}
        />
        <Line
          at={[
            [26, 8],
            [44, 24],
          ]}
          thick={0.8}
        />
      </>,
    ),
    "deep-scratch": face(
      <Line
        at={[
          [14, 14],
          [46, 27],
        ]}
        thick={3}
      />,
    ),
    "edge-chip": face(
      <Shape
        at={[
          [37, 12],
          [42, 15],
          [38, 18],
        ]}
        fill="metal"
      />,
    ),
    core: face(
      <Line
        at={[
          [24, 14],
          [30, 20],
          [28, 24],
          [36, 30],
        ]}
        thick={2}
      />,
      false,
    ),
  },
  sleeve: {
    even: sleeve(
      <Line
        at={[
          [10, 20],
          [50, 20],
        ]}
      />,
    ),
    uneven: sleeve(
      <Line
        at={[
          [10, 16],
          [20, 22],
          [30, 18],
          [40, 24],
          [50, 17],
        ]}
      />,
    ),
    bare: (
      <>
        <Box x={22} y={12} w={32} h={16} fill="plain" />
        <Line
          at={[
            [4, 20],
            [22, 20],
          ]}
          thick={3}
        />
      </>
    ),
  },
  bead: {
    hard: <Disc x={30} y={20} r={10} fill="metal" />,
    soft: (
      <Shape
        at={[
          [20, 14],
          [40, 14],
          [44, 26],
          [34, 34],
          [24, 30],
          [16, 26],
        ]}
        fill="light"
      />
    ),
  },
  arc: {
    good: joint(<Box x={26} y={17} w={8} h={6} fill="plain" />),
    high: joint(
      <Line
        at={[
          [29, 12],
          [31, 28],
        ]}
      />,
    ),
    bad: joint(<Disc x={30} y={20} r={6} fill="plain" />),
  },
  insert: {
    slides: seat(56),
    home: seat(30),
    seated: seat(
      30,
      <Line
        at={[
          [30, 6],
          [30, 34],
        ]}
        dashed
      />,
    ),
    jams: seat(
      40,
      <Line
        at={[
          [40, 12],
          [40, 28],
        ]}
        thick={2.5}
      />,
    ),
    broke: seat(
      38,
      <Line
        at={[
          [38, 20],
          [44, 15],
          [48, 24],
        ]}
        thick={1.2}
      />,
    ),
    bounces: seat(
      22,
      <Line
        at={[
          [14, 10],
          [8, 10],
        ]}
      />,
    ),
    short: seat(24, <Disc x={36} y={20} r={4} fill="light" />),
    yes: seat(
      30,
      <Line
        at={[
          [26, 12],
          [26, 28],
        ]}
        thick={2.5}
      />,
    ),
    off: seat(
      30,
      <Line
        at={[
          [12, 12],
          [12, 28],
        ]}
        thick={2.5}
      />,
    ),
  },
  compare: {
    same: (
      <>
        <Disc x={18} y={20} r={11} fill="plain" />
        <Disc x={18} y={20} r={4} fill="light" />
        <Disc x={44} y={20} r={11} fill="plain" />
        <Disc x={44} y={20} r={4} fill="light" />
      </>
    ),
    other: (
      <>
        <Disc x={18} y={20} r={11} fill="plain" />
        <Disc x={18} y={20} r={6.5} fill="light" />
        <Disc x={44} y={20} r={11} fill="plain" />
        <Disc x={44} y={20} r={2} fill="light" />
      </>
    ),
  },
  flick: snap,
  bend: snap,
  tug: {
    holds: seat(
      30,
      <Line
        at={[
          [30, 8],
          [30, 32],
        ]}
        thick={2.5}
      />,
    ),
    slides: seat(
      20,
      <Line
        at={[
          [26, 34],
          [10, 34],
          [15, 31],
        ]}
      />,
    ),
  },
  crimp: {
    even: (
      <Shape
        at={[
          [10, 12],
          [22, 14],
          [38, 14],
          [50, 12],
          [50, 28],
          [38, 26],
          [22, 26],
          [10, 28],
        ]}
      />
    ),
    bad: (
      <Shape
        at={[
          [10, 12],
          [24, 18],
          [36, 12],
          [50, 12],
          [50, 28],
          [38, 24],
          [26, 29],
          [10, 28],
        ]}
      />
    ),
  },
  scribe: {
    clean: stub(
      <Line
        at={[
          [30, 14],
          [30, 26],
        ]}
        thick={2.5}
      />,
    ),
    cracked: stub(
      <Line
        at={[
          [32, 20],
          [24, 17],
          [20, 22],
          [12, 19],
        ]}
        thick={1.6}
      />,
    ),
  },
};

/** The drawing of an answer that the eye gives; null where it is a yes or a no. */
export const answerScene = (drawing: NonNullable<S["Drawing"]>, answer: Pick<S["RunAnswer"], "id">): ReactNode =>
  seen[drawing === "feed-down" ? "insert" : drawing]?.[answer.id] ?? null;
