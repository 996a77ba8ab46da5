import { Alert, App, Button } from "antd";
import { useMemo, useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { answered, http, type S } from "../../api/client";
import { useAtHand, useJob, useLoom } from "../../api/hooks";
import { JobPick } from "../../domain/JobPick";
import { Loom } from "../../domain/Loom";
import { MixTimers } from "../../domain/MixTimers";
import { PhotoTake } from "../../domain/PhotoShelf";
import { placesOf } from "../../domain/places";
import { spans } from "../../domain/spans";
import { useBench } from "../../offline/useLedger";
import { useLive } from "../../offline/useLive";
import { Await, Nothing, Pick, useFault } from "../../ui/Parts";
import { Scan } from "../../ui/Scan";
import { BeginBatch, MOST } from "./BeginBatch";
import { HandCard } from "./HandCard";
import { Proof } from "./Proof";
import { batchesOf, plannedTable, useBatch } from "./useBatch";

/** The panel's loom on the left, the one next act on the right. */
export default function Bench() {
  const { t } = useTranslation();
  const { jobId, placeId, endId } = useParams();
  const jobs = useAtHand();
  const job = useJob(jobId ?? jobs.data?.[0]?.jobId);
  const at = job.data?.job.jobId;
  const loom = useLoom(at);
  useLive(at);
  const navigate = useNavigate();
  const places = job.data ? placesOf(job.data) : [];
  const withEnds = places.filter((p) => loom.data?.ends.some((e) => e.placeId === p.placeId));
  const place = withEnds.find((p) => p.placeId === placeId) ?? withEnds[0];
  const bench = useBench(place?.placeId);
  const fault = useFault();
  const { message } = App.useApp();
  /** A label's code names its end's record; here its strand is meant. */
  const goTo = async (text: string) => {
    const id = /\/handover\/([0-9a-f-]{36})$/.exec(text.trim())?.[1];
    if (!id) return void message.warning(t("bench.noLabel"));
    try {
      const end = await answered(http.GET("/api/ends/{endId}", { params: { path: { endId: id } } }));
      navigate(`/bench/${end.jobId}/${end.placeId}/${end.endId}`);
    } catch (e) {
      fault(e);
    }
  };
  return (
    <>
      <div className="row benchhead">
        <h1>{t("bench.title")}</h1>
        <JobPick label={t("bench.chooseJob")} room="xl" value={at} onChange={(v) => navigate(`/bench/${v}`)} />
        <Pick
          label={t("bench.choosePanel")}
          room="l"
          value={place?.placeId}
          options={withEnds.map((p) => ({
            value: p.placeId,
            label: `${p.label} · ${p.jumper ? t("jobs.jumper") : p.name}`,
          }))}
          onChange={(v) => navigate(`/bench/${at}/${v}`)}
        />
      </div>
      {loom.data && withEnds.length === 0 && <Nothing text={t("jobs.noEnds")} />}
      {place && <Await of={bench}>{(b) => <Panel key={b.placeId} bench={b} endId={endId} />}</Await>}
      {/* Below all that the hands are at. */}
      <div className="row above noprint">
        <Scan label={t("bench.scanLabel")} onRead={goTo} />
        {place && !place.jumper && <PhotoTake of={{ panelId: place.placeId }} />}
      </div>
    </>
  );
}

function Panel({ bench, endId }: { bench: S["PanelBench"]; endId?: string }) {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const all = useMemo(() => batchesOf(bench.ends), [bench.ends]);
  const of = (id?: string) => all.find((b) => b.runs.some((r) => r.end.endId === id))?.batchId;
  const [batchId, setBatchId] = useState<string | undefined>();
  const [picking, setPicking] = useState(false);
  const [picked, setPicked] = useState<string[]>([]);
  const [proving, setProving] = useState(false);
  const chosenEnd = bench.ends.find((e) => e.endId === endId);
  const free = (e: S["EndView"]) => ["planned", "to-remake"].includes(e.state.status ?? "planned") && !of(e.endId);
  const choosing = picking || all.length === 0 || (chosenEnd !== undefined && free(chosenEnd));
  const active = of(endId) ?? (all.some((b) => b.batchId === batchId) ? batchId : all[0]?.batchId);
  const batch = useBatch(bench, choosing ? undefined : active, choosing ? undefined : endId);
  const inBatch = new Set(batch.runs.map((r) => r.end.endId));
  const pickedEnds = bench.ends.filter(
    (e) => picked.includes(e.endId) || (choosing && !picking && e.endId === endId && free(e)),
  );
  const go = (id?: string) =>
    navigate(id ? `/bench/${bench.jobId}/${bench.placeId}/${id}` : `/bench/${bench.jobId}/${bench.placeId}`);
  const choose = (id: string) => {
    const end = bench.ends.find((e) => e.endId === id);
    if (!end) return;
    if (!choosing || !free(end)) {
      setPicking(false);
      setProving(false);
      return go(id);
    }
    setPicking(true);
    const first = bench.ends.find((e) => e.endId === (picked[0] ?? endId));
    const alike = first && plannedTable(bench, end) === plannedTable(bench, first);
    const base = picked.length > 0 ? picked : pickedEnds.map((e) => e.endId);
    setPicked(base.includes(id) ? base.filter((x) => x !== id) : alike ? [...base, id].slice(-MOST) : [id]);
  };
  // Two cables may land on one panel: a strand is its end's, not its number's.
  const strands = useMemo(() => new Map(bench.ends.map((e) => [e.endId, e.strand])), [bench.ends]);
  return (
    <>
      <MixTimers />
      <div className="bench">
        <div>
          {all.length > 0 && (
            <div className="row batches">
              {all.map((b) => (
                <Button
                  key={b.batchId}
                  type={!choosing && b.batchId === active ? "primary" : "default"}
                  onClick={() => {
                    setPicking(false);
                    setProving(false);
                    setBatchId(b.batchId);
                    go();
                  }}
                >
                  {t("bench.batchName", { no: b.no, strands: spans(b.runs.map((r) => r.end.strand.number)) })}
                </Button>
              ))}
              <Button
                type={choosing ? "primary" : "default"}
                onClick={() => {
                  setPicked([]);
                  setPicking(true);
                  go();
                }}
              >
                {t("bench.newBatch")}
              </Button>
            </div>
          )}
          <div className="card">
            <Loom
              ends={bench.ends.map((e) => loomEnd(e, bench.placeId))}
              strandOf={(e) => strands.get(e.endId)}
              selected={choosing ? undefined : (endId ?? batch.at?.end.endId)}
              marked={choosing ? new Set(pickedEnds.map((e) => e.endId)) : inBatch}
              onSelect={choose}
              height={430}
              label={t("bench.loomLabel")}
            />
          </div>
          {!choosing && batch.runs.length > 0 && (
            <>
              <ul className="strands" aria-label={t("bench.strandsOfBatch")}>
                {batch.runs.map((r) => (
                  <li key={r.end.endId}>
                    <button type="button" aria-pressed={r.end.endId === endId} onClick={() => choose(r.end.endId)}>
                      <b>{r.end.strand.number}</b>{" "}
                      {r.attempt.position.stateId ? t(`phase.${r.attempt.phase}`) : t(`status.${r.end.state.status}`)}
                      {r.attempt.loops.length > 0 && ` · ${t("bench.loops", { count: r.attempt.loops.length })}`}
                    </button>
                  </li>
                ))}
              </ul>
              {batch.runs.some((r) => r.attempt.position.outcome === "finished") && (
                <Button
                  onClick={() => {
                    setProving(!proving);
                    go();
                    document.getElementById("main")?.scrollTo({ top: 0 }); // on a phone the card lies above
                  }}
                  aria-pressed={proving}
                >
                  {t(proving ? "bench.backToWork" : "bench.proveMade")}
                </Button>
              )}
            </>
          )}
          {bench.ends.some((e) => e.state.conflict) && <Alert type="error" showIcon title={t("bench.conflictHere")} />}
        </div>
        {choosing ? (
          <BeginBatch
            bench={bench}
            free={bench.ends.filter((e) => free(e) && e.procedureId)}
            picked={pickedEnds}
            onPick={(ids) => {
              setPicking(true);
              setPicked(ids);
            }}
            onBegun={(id) => {
              setPicked([]);
              setPicking(false);
              setBatchId(id);
            }}
          />
        ) : proving ? (
          <aside className="hand" aria-label={t("bench.title")}>
            <Proof batch={batch} placeId={bench.placeId} />
          </aside>
        ) : (
          <HandCard bench={bench} batch={batch} chosen={endId} onChoose={go} />
        )}
      </div>
    </>
  );
}

const loomEnd = (e: S["EndView"], placeId: string): S["LoomEnd"] => ({
  endId: e.endId,
  placeId,
  port: e.port,
  position: e.position,
  strand: e.strand.number,
  side: e.side,
  cableId: "",
  crewId: "",
  personId: e.personId,
  status: e.state.status ?? "planned",
  verdict: e.state.verdict ?? "none",
  phase: e.state.phase ?? null,
  attempts: e.state.attempts.length,
  loops: e.state.attempts
    .flatMap((a) => a.loops)
    .map((l) => `${l.from}>${l.to}`)
    .join(" "),
});
