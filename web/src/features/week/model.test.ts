import { describe, expect, test } from "vitest";
import type { S } from "../../api/client";
import { barsOf, clashesOf, DAY, dayAfter, moved } from "./model";

const hands = (id: string, ...hours: [number, number][]) => ({
  id,
  hours: hours.map(([from, to]) => ({ from, to })),
  skills: [],
});

const attended = (minutes: number, tool?: string, also?: string[]) => ({ minutes, attended: true, tool, also });

const cures = (minutes: number) => ({ minutes, attended: false, tool: "oven", also: null });

/** A crew of two, one oven, two meters and one scope; a batch that cures, two tests that need a meter and the scope. */
const work = {
  problem: {
    people: [hands("joss", [450, 720], [750, 990], [DAY + 450, DAY + 990]), hands("tamsin", [450, 990])],
    tools: [
      { kind: "oven", count: 1 },
      { kind: "meter", count: 2 },
      { kind: "scope", count: 1 },
    ],
    tasks: [
      { id: "cure", stretches: [attended(60), cures(100), attended(40)], from: 480, due: 900, after: [] },
      { id: "bake", stretches: [attended(30), cures(120)], from: 0, due: null, after: null },
      { id: "test", stretches: [attended(60, "meter", ["scope"])], from: 0, due: null, after: ["cure"] },
      { id: "light", stretches: [attended(30, "meter")], from: 0, due: null, after: null },
      { id: "more", stretches: [attended(30, "meter")], from: 0, due: null, after: null },
    ],
    travel: [],
  },
  labels: ["cure", "bake", "test", "light", "more"].map((id) => ({
    id,
    kind: "make",
    ends: 12,
    place: "S1-P1",
    jobId: "j",
  })),
  waiting: [],
} as unknown as S["WeekWork"];

/** A planned task: whose, and from when to when each of its stretches goes. */
const lies = (id: string, person: string, ...stretches: [number, number][]): S["PlannedTask"] => ({
  id,
  people: [person],
  stretches: stretches.map(([from, to]) => ({ from, to })),
  lateMinutes: 0,
});

const cure = lies("cure", "joss", [480, 540], [540, 640], [640, 680]);

describe("what stands against a task where it lies", () => {
  const against = (id: string, ...tasks: S["PlannedTask"][]) => clashesOf(work, tasks, id).sort();

  test("nothing, where it is planned", () => expect(against("cure", cure)).toEqual([]));

  test("hands that are elsewhere, but not while something cures by itself", () => {
    expect(against("light", cure, lies("light", "joss", [600, 630]))).toEqual([]);
    expect(against("light", cure, lies("light", "joss", [520, 550]))).toEqual(["hands"]);
    // One begins on the minute that the other ends.
    expect(against("light", cure, lies("light", "joss", [680, 710]))).toEqual([]);
    expect(against("light", cure, lies("light", "tamsin", [520, 550]))).toEqual([]);
  });

  test("hours: the break, the evening, the day after of somebody who is not there", () => {
    expect(against("light", lies("light", "joss", [700, 730]))).toEqual(["hours"]);
    expect(against("light", lies("light", "tamsin", [700, 730]))).toEqual([]);
    expect(against("light", lies("light", "joss", [970, 1000]))).toEqual(["hours"]);
    expect(against("light", lies("light", "joss", [DAY + 460, DAY + 490]))).toEqual([]);
    expect(against("light", lies("light", "tamsin", [DAY + 460, DAY + 490]))).toEqual(["hours"]);
    // What cures may go on through the break and over night.
    expect(against("bake", lies("bake", "joss", [690, 720], [720, 840]))).toEqual([]);
  });

  test("a tool that is out: as many as there are, at the same time", () => {
    const oven = lies("bake", "tamsin", [500, 530], [530, 650]);
    expect(against("bake", cure, oven)).toEqual(["tool"]);
    expect(against("bake", cure, lies("bake", "tamsin", [610, 640], [640, 760]))).toEqual([]);
    // Two meters: three at once are one too many, two after one another beside a third are not.
    const long = lies("test", "joss", [800, 860]);
    expect(against("test", long, lies("light", "tamsin", [800, 830]), lies("more", "tamsin", [830, 860]))).toEqual([]);
    expect(against("test", long, lies("light", "tamsin", [800, 830]), lies("more", "other", [829, 859]))).toEqual([
      "tool",
    ]);
  });

  test("too early before the cable is there, or before what it waits for is done; and too late", () => {
    expect(against("cure", moved(cure, 465))).toEqual(["early"]);
    expect(against("test", cure, lies("test", "tamsin", [670, 730]))).toEqual(["early"]);
    expect(against("test", cure, lies("test", "tamsin", [680, 740]))).toEqual([]);
    expect(against("cure", lies("cure", "tamsin", [750, 810], [810, 910], [910, 950]))).toEqual(["late"]);
  });

  test("what is not in the plan has nothing against it", () => expect(against("gone", cure)).toEqual([]));
});

test("what is dragged keeps its length and its waits, and changes hands where it is dropped on them", () => {
  const later = moved(cure, 750, "tamsin");
  expect(later.stretches).toEqual([
    { from: 750, to: 810 },
    { from: 810, to: 910 },
    { from: 910, to: 950 },
  ]);
  expect([later.people, moved(cure, 750).people]).toEqual([["tamsin"], ["joss"]]);
});

test("bars lie with people, or with every tool that their stretch needs at once", () => {
  const test = lies("test", "tamsin", [700, 760]);
  expect(barsOf(work, [cure, test], "person").map((b) => [b.row, b.from, b.attended])).toEqual([
    ["joss", 480, true],
    ["joss", 540, false],
    ["joss", 640, true],
    ["tamsin", 700, true],
  ]);
  expect(barsOf(work, [cure, test], "tool").map((b) => [b.row, b.from])).toEqual([
    ["oven", 540],
    ["meter", 700],
    ["scope", 700],
  ]);
});

test("days are counted over the end of a month and of a year, and never by a clock that is put forward", () => {
  expect(dayAfter("2026-12-28", 4)).toBe("2027-01-01");
  expect(dayAfter("2026-03-23", 6)).toBe("2026-03-29");
  expect(dayAfter("2026-03-23", 7)).toBe("2026-03-30");
  expect(dayAfter("2028-02-28", -7)).toBe("2028-02-21");
  expect(dayAfter("2028-02-28", 1)).toBe("2028-02-29");
});
