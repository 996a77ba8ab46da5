import type { ReactNode } from "react";
import type { S } from "../../api/client";

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
  /** The cable has a jacket, which this method takes off. */
  jacketed: boolean;
  shards: number;
};

/** Draws one kind of act. */
export type Scene = (f: Facts) => ReactNode;

export type Kind = NonNullable<S["Drawing"]>;
