import { App } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../api/client";
import { useEnd, useEnds, useEvidence } from "../../api/hooks";
import { useUpload } from "../../domain/useUpload";
import { isOpen } from "../../engine/project";
import { useLedger } from "../../offline/useLedger";

/** `launchM` is null until somebody says it: 0 where there was no launch cord. */
type Cords = { launchM: number | null; receiveM: number };

const LAUNCH = "rhabdon.launchM";

function keptLaunch(): number | null {
  const kept = localStorage.getItem(LAUNCH);
  return kept === null || kept === "" ? null : Number(kept);
}

export type Trace = ReturnType<typeof useTrace>;

/** A trace taken from this end: read, drawn and tied by the server; what is recorded is the connector that lies at the event. */
export function useTrace(end: S["EndView"], attempt?: S["AttemptState"]) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const send = useUpload(end.endId);
  const tell = useLedger();
  const [cords, setCords] = useState<Cords>(() => ({ launchM: keptLaunch(), receiveM: 0 }));
  const [touched, setTouched] = useState(false);
  const [traceId, setTraceId] = useState<string>();
  const [busy, setBusy] = useState(false);
  const [cursors, setCursors] = useState<[number, number] | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const [via, setVia] = useState<string[]>([]);
  const [otherId, setOther] = useState<string>();
  const farEnd = useEnd(end.farEndId ?? undefined);
  const onward = useEnds({ jobId: end.jobId, placeId: farEnd.data?.placeId, limit: 200 }, !!farEnd.data);
  const kept = useEvidence(end.endId);
  const traces = (kept.data ?? []).filter((e) => e.kind === "trace");
  const id = traceId ?? traces[0]?.evidenceId;
  const far = useEvidence(end.farEndId);
  const others = (far.data ?? []).filter((e) => e.kind === "trace");
  const asked = { launchM: cords.launchM ?? undefined, receiveM: cords.receiveM };
  const trace = { traceId: id ?? "" };
  const view = api.useQuery(
    "get",
    "/api/traces/{traceId}",
    { params: { path: trace, query: { ...asked, via } } },
    { enabled: !!id },
  );
  // A planned far connector that lies before the trace's end: what comes after it is the receive cord.
  const seen = view.data?.receiveSeenM;
  useEffect(() => {
    if (!touched && seen && cords.receiveM === 0) setCords((c) => ({ ...c, receiveM: seen }));
  }, [touched, seen, cords.receiveM]);
  const pair = api.useQuery(
    "get",
    "/api/traces/{traceId}/pair",
    { params: { path: trace, query: { otherId: otherId ?? "", ...asked } } },
    { enabled: !!id && !!otherId, retry: false },
  );
  const origin = view.data?.answer.originM ?? 0;
  const at = cursors ?? (view.data ? opening(view.data) : [0, 0]);
  const section = api.useQuery(
    "get",
    "/api/traces/{traceId}/section",
    { params: { path: trace, query: { fromM: at[0] + origin, toM: at[1] + origin } } },
    { enabled: !!view.data && Math.abs(at[1] - at[0]) > 0, retry: false },
  );
  const sayLaunch = (launchM: number | null) => {
    if (launchM === null) localStorage.removeItem(LAUNCH);
    else localStorage.setItem(LAUNCH, String(launchM));
    setCursors(null);
    setChosen(null);
    setCords((c) => ({ ...c, launchM }));
  };
  // Asked where nobody said it, and where the trace says otherwise: lengths below nothing are never shown.
  const askLaunch = !!view.data && (cords.launchM === null || view.data.answer.launchSeen === false);
  const read = async (file: Blob) => {
    setBusy(true);
    const next = await send<S["TraceView"]>("traces", cords, file);
    setBusy(false);
    if (!next) return;
    setTraceId(next.traceId);
    setCursors(null);
    setChosen(null);
    await kept.refetch();
  };
  const events = view.data?.answer.events ?? [];
  const ties = view.data?.ties ?? [];
  const mine = ties.find((x) => x.endId === end.endId)?.event ?? null;
  const at0 = chosen ?? mine;
  const picked = at0 === null ? undefined : events[at0];
  // What is recorded is the connector that lies at the event: this one, or the one at the far end.
  const tied = ties.find((x) => x.event === at0);
  const farSide = !!tied && tied.endId === end.farEndId;
  const target = farSide ? farEnd.data : end;
  const run = farSide ? farEnd.data?.state.attempts.filter(isOpen).at(-1) : attempt;
  const fits =
    !!run && run.position.outcome === "finished" && run.acceptedAt === null && (!tied || tied.endId === target?.endId);
  const both = picked && pair.data?.find((p) => p.mean.distanceM === picked.distanceM);
  const save = async () => {
    if (!run || !target || !picked || !view.data) return;
    const done = await tell({
      endId: target.endId,
      attempt: run.no,
      kind: "traced",
      body: {
        runId: run.runId,
        traceId: view.data.traceId,
        wavelengthNm: view.data.answer.parameters.wavelengthNm,
        distanceM: picked.distanceM,
        lossDb: both ? both.mean.lossDb : picked.lossDb,
        reflectanceDb: both ? both.mean.reflectanceDb : picked.reflectanceDb,
        otherTraceId: both ? otherId : null,
        lengthM: view.data.answer.lengthM,
        note: null,
      },
    });
    if (done.ok) message.success(t("trace.saved"));
  };
  const place = (i: number) =>
    ties
      .filter((x) => x.event === i)
      .map((x) => x.address)
      .join(", ");
  return {
    id,
    traces,
    others,
    choose: setTraceId,
    otherId,
    setOther,
    via,
    setVia,
    onward: (onward.data ?? []).filter((e) => e.endId !== end.endId && e.endId !== end.farEndId),
    cords,
    sayLaunch,
    sayReceive: (receiveM: number) => {
      setTouched(true);
      setCords({ ...cords, receiveM });
    },
    askLaunch,
    read,
    busy,
    view,
    pair,
    section,
    at: at as [number, number],
    setCursors,
    chosen,
    setChosen,
    place,
    unseen: ties.filter((x) => x.event === null),
    farSide,
    target,
    tied,
    picked,
    both,
    canSave: !askLaunch && fits && !!picked && picked.kind !== "end" && picked.kind !== "ghost",
    save,
  };
}

function opening(view: S["TraceView"]): [number, number] {
  const events = view.answer.events.filter((e) => e.kind !== "ghost");
  const [a, b] = [events[0]?.distanceM ?? 0, events.at(-1)?.distanceM ?? view.stepM * 100];
  return [a + (b - a) * 0.25, a + (b - a) * 0.75];
}
