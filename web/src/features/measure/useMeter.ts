import { useQueries } from "@tanstack/react-query";
import { App } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { useEnd } from "../../api/hooks";
import { farUnsaid, ofFarEnd } from "../../domain/FarEndAsk";
import {
  keepReference,
  keptReference,
  measuredWith,
  type Reference,
  readingDbm,
  useReferenceState,
} from "../../domain/reference";
import { type Told, useLedger } from "../../offline/useLedger";
import { toMeasure } from "./model";

export type Direction = NonNullable<S["Direction"]>;

/** One end's readings as they are typed: each judged by the server by the plan's own link, then told of both ends at once. */
export function useMeter(end: S["EndView"]) {
  const { t } = useTranslation();
  const tell = useLedger();
  const { message } = App.useApp();
  const far = useEnd(end.farEndId ?? undefined);
  const [direction, turn] = useState<Direction>(end.side === "B" ? "b-to-a" : "a-to-b");
  const [reference, setReference] = useState(() => keptReference(direction));
  const [reading, setReading] = useState<Record<number, number | null>>({});
  const [farSaid, sayFar] = useState(farUnsaid);
  const wavelengths = end.testWavelengthsNm;
  const state = useReferenceState(reference, wavelengths, end.mode);
  const level = (nm: number) => reference.levels[nm]?.dbm ?? null;
  const judged = useQueries({
    queries: wavelengths.map((nm) => {
      const body = {
        wavelengthNm: nm,
        reference: reference.method,
        referenceDbm: level(nm) ?? 0,
        readingDbm: readingDbm(reference, reading[nm] ?? 0),
        instrumentId: reference.instrumentId ?? null,
      };
      return api.queryOptions(
        "post",
        "/api/ends/{endId}/judge/loss",
        { params: { path: { endId: end.endId } }, body },
        { enabled: level(nm) !== null && typeof reading[nm] === "number", retry: false },
      );
    }),
  });
  const filled = wavelengths.flatMap((nm, i) => {
    const dbm = reading[nm];
    return typeof dbm === "number" &&
      level(nm) !== null &&
      !state.cordsWorn &&
      judged[i]?.data &&
      (state.of(nm)?.state ?? "good") === "good"
      ? [{ nm, dbm }]
      : [];
  });
  const attempt = toMeasure(end);
  const farAttempt = toMeasure(far.data);
  const save = async () => {
    const body = (nm: number, dbm: number, runId: string) => ({
      runId,
      ...measuredWith(reference, nm, readingDbm(reference, dbm)),
      ...(end.farEndMade ? { into: null, note: null } : ofFarEnd(farSaid)),
      referenceDriftDb: state.of(nm)?.driftDb ?? null,
      direction,
    });
    const runs = [
      ...(attempt ? [{ endId: end.endId, run: attempt }] : []),
      ...(far.data && farAttempt ? [{ endId: far.data.endId, run: farAttempt }] : []),
    ];
    const told = filled.flatMap(({ nm, dbm }) =>
      runs.map(
        ({ endId, run }): Told => ({ endId, attempt: run.no, kind: "measured", body: body(nm, dbm, run.runId) }),
      ),
    );
    const done = await tell(...told);
    if (done.ok) {
      message.success(t(farAttempt ? "measure.savedBoth" : "measure.saved", { far: end.farAddress }));
      setReading({});
    }
  };
  return {
    attempt,
    farAttempt,
    direction,
    setDirection: (d: Direction) => {
      turn(d);
      setReference(keptReference(d));
    },
    reference,
    keep: (next: Reference) => setReference(keepReference(next, direction)),
    level,
    stateOf: state.of,
    warmUpMinutes: state.warmUpMinutes,
    reading,
    read: (nm: number, dbm: number | null) => setReading((now) => ({ ...now, [nm]: dbm })),
    judgedAt: (nm: number) => judged[wavelengths.indexOf(nm)],
    canSave: filled.length > 0,
    save,
    farSaid,
    sayFar,
  };
}
