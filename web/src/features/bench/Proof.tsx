import { Button, Checkbox, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { useLimits } from "../../api/hooks";
import { BendHint } from "../../domain/BendHint";
import { ContainerOff } from "../../domain/ContainerOff";
import { FarEndAsk, farUnsaid, ofFarEnd } from "../../domain/FarEndAsk";
import { LiveLoss } from "../../domain/LiveLoss";
import { ReferenceSet } from "../../domain/ReferenceSet";
import { keepReference, keptReference, measuredWith, readingDbm, useReferenceState } from "../../domain/reference";
import { StatusMark } from "../../domain/Verdict";
import { uncounted } from "../../engine/containers";
import type { Draft } from "../../offline/outbox";
import { useAwaiting } from "../../offline/useLedger";
import { dB } from "../../ui/settings";
import { SpliceTable } from "./SpliceTable";
import type { Batch, Run } from "./useBatch";

/** A meter's reading is whole with its second decimal: the field below is next, without a key. */
const TYPED = /^-?\d+[.,]\d\d$/;

/** All strands are made: look, measure, count the shards, accept. Core judges as soon as it hears of it. */
export function Proof({ batch, placeId }: { batch: Batch; placeId: string }) {
  const { t } = useTranslation();
  const limits = useLimits();
  const [reference, setReference] = useState(keptReference);
  const [farSaid, sayFar] = useState(farUnsaid);
  const [readings, setReadings] = useState<Record<string, number | null>>({});
  const made = batch.runs.filter((r) => r.attempt.position.outcome === "finished");
  const first = made[0]?.end;
  const wavelengths = first?.testWavelengthsNm ?? [];
  // An old reference holds no reading: that wavelength is set anew.
  const { levelOf: refOf } = useReferenceState(reference, wavelengths, first?.mode);
  if (!first) return <p className="act">{t("bench.batchOver")}</p>;
  const farUnknown = made.filter((r) => !r.end.farEndMade && r.attempt.acceptedAt === null);
  const faceSet = limits.data?.endFace.find((s) => s.id === first.faceLimitSetId);
  const key = (r: Run, nm: number) => `${r.attempt.runId}.${nm}`;
  // Down one wavelength, then down the next: as a meter that is set to one reads a panel.
  const open = wavelengths.flatMap((nm) => made.filter((r) => !lossAt(r, nm)).map((r) => key(r, nm)));
  const below = (r: Run, nm: number) =>
    document.getElementById(`reading-${open[open.indexOf(key(r, nm)) + 1]}`)?.focus();
  const clear = (r: Run) =>
    batch.say([
      {
        endId: r.end.endId,
        attempt: r.attempt.no,
        kind: "inspected",
        body: { runId: r.attempt.runId, findings: [], note: null },
      },
    ]);
  const entered = made.flatMap((r) =>
    wavelengths.flatMap((nm): { draft: Draft; key: string }[] => {
      const reading = readings[key(r, nm)];
      if (typeof reading !== "number" || refOf(nm) === null) return [];
      const body = {
        runId: r.attempt.runId,
        ...measuredWith(reference, nm, readingDbm(reference, reading)),
        ...(r.end.farEndMade ? { into: null, note: null } : ofFarEnd(farSaid)),
      };
      return [{ draft: { endId: r.end.endId, attempt: r.attempt.no, kind: "measured", body }, key: key(r, nm) }];
    }),
  );
  // What was read already waits for the same words.
  const unknownRead = made.filter((r) => r.attempt.farEndUnknown);
  const sayIt = () => {
    const { into, note } = ofFarEnd(farSaid);
    return into
      ? batch.say(
          unknownRead.map((r) => ({
            endId: r.end.endId,
            attempt: r.attempt.no,
            kind: "far-end-said" as const,
            body: { runId: r.attempt.runId, into, note },
          })),
        )
      : undefined;
  };
  const record = async () => {
    if (await batch.say(entered.map((e) => e.draft))) setReadings({});
  };
  const passed = made.filter((r) => r.attempt.status === "to-accept" && !r.end.state.conflict);
  const shardsMade = batch.runs.reduce((sum, r) => sum + batchShards(r, batch.batch?.batchId), 0);
  const toCount = made.some((r) => uncounted(r.attempt, batch.batches));
  const container = batch.batches.find((b) => b.id === batch.batch?.batchId);
  const spliced = batch.table?.states.find((s) => s.splice)?.splice;
  const over = batch.runs.every((r) => r.attempt.position.stateId === null);
  const accept = () =>
    batch.say(
      passed.map((r) => ({
        endId: r.end.endId,
        attempt: r.attempt.no,
        kind: "accepted" as const,
        body: { runId: r.attempt.runId, note: null },
      })),
    );
  return (
    <section aria-label={t("bench.proof")}>
      <p className="act">{t("bench.prove", { count: made.length })}</p>
      <ReferenceSet
        at={first}
        reference={reference}
        wavelengths={wavelengths}
        onChange={(r) => setReference(keepReference(r))}
      />
      {faceSet && <p className="faint small">{t("bench.heldTo", { edition: faceSet.edition })}</p>}
      <table className="grid proof">
        <thead>
          <tr>
            <th>{t("bench.strandShort")}</th>
            <th>{t("bench.endFace")}</th>
            {wavelengths.map((nm) => (
              <th key={nm}>{nm} nm</th>
            ))}
            <th>{t("bench.verdict")}</th>
          </tr>
        </thead>
        <tbody>
          {made.map((r) => (
            <tr key={r.end.endId}>
              <td>
                <Link to={`/handover/${r.end.endId}`}>{r.end.strand.number}</Link>
              </td>
              <td>
                {r.attempt.inspection ? (
                  t(r.attempt.inspection.verdict.pass ? "bench.clear" : "bench.notClear")
                ) : (
                  <span className="stack">
                    <Button aria-label={t("bench.clearOf", { strand: r.end.strand.number })} onClick={() => clear(r)}>
                      {t("bench.clear")}
                    </Button>
                    <Link to={`/look/${r.end.endId}`}>{t("bench.findings")}</Link>
                  </span>
                )}
              </td>
              {wavelengths.map((nm) => {
                const loss = lossAt(r, nm);
                return (
                  <td key={nm} className="reading" data-nm={`${nm} nm`}>
                    {loss ? (
                      <Link to={`/measure/${r.end.endId}`}>{dB(loss.judgement.lossDb)} dB</Link>
                    ) : (
                      <>
                        <InputNumber
                          aria-label={t("bench.readingOf", {
                            strand: r.end.strand.number,
                            nm,
                            unit: reference.shows === "db" ? "dB" : "dBm",
                          })}
                          value={readings[key(r, nm)] ?? null}
                          step={0.01}
                          controls={false}
                          id={`reading-${key(r, nm)}`}
                          onInput={(text) => TYPED.test(text) && below(r, nm)}
                          onPressEnter={() => below(r, nm)}
                          onChange={(v) => setReadings((old) => ({ ...old, [key(r, nm)]: v }))}
                        />
                        <LiveLoss
                          end={r.end}
                          nm={nm}
                          reference={reference}
                          referenceDbm={refOf(nm)}
                          shown={readings[key(r, nm)]}
                        />
                      </>
                    )}
                  </td>
                );
              })}
              <td>
                <Mark run={r} />
                <BendHint
                  wavelengths={wavelengths}
                  reference={reference}
                  referenceDbm={refOf}
                  shown={(nm) => readings[key(r, nm)]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="faint">{t(reference.shows === "db" ? "bench.readingHintDb" : "bench.readingHint")}</p>
      {spliced && <SpliceTable batch={batch} placeId={placeId} limits={spliced} runs={made} />}
      {farUnknown.length > 0 && (
        <>
          {unknownRead.length > 0 && (
            <p className="tone-doubtful">{t("farEnd.waiting", { count: unknownRead.length })}</p>
          )}
          <FarEndAsk value={farSaid} onChange={sayFar} far={farUnknown.map((r) => r.end.farAddress)} />
          {unknownRead.length > 0 && (
            <div className="answers">
              <button type="button" className="main" disabled={!ofFarEnd(farSaid).into} onClick={sayIt}>
                {t("farEnd.sayAll", { count: unknownRead.length })}
              </button>
            </div>
          )}
        </>
      )}
      <div className="answers">
        {entered.length > 0 && (
          <button type="button" className="main" onClick={record}>
            {t("bench.recordReadings", { count: entered.length })}
          </button>
        )}
      </div>
      {toCount && over && <Shards made={shardsMade} batch={batch} />}
      {container && container.off !== 0 && <ContainerOff batch={container} say={batch.say} />}
      {passed.length > 0 && (
        <div className="answers">
          <button type="button" className="main" disabled={toCount} onClick={accept}>
            {t("bench.acceptAll", { count: passed.length })}
          </button>
          {toCount && <span className="faint">{t(over ? "bench.countFirst" : "bench.countLater")}</span>}
        </div>
      )}
    </section>
  );
}

const lossAt = (r: Run, nm: number) => r.attempt.losses.find((l) => l.judgement.wavelengthNm === nm);

/** Shards that an end made in this batch, over all its attempts there. */
const batchShards = (r: Run, batchId?: string) =>
  r.end.state.attempts.filter((a) => (a.batchId ?? a.runId) === batchId).reduce((sum, a) => sum + a.shards, 0);

function Mark({ run }: { run: Run }) {
  const { t } = useTranslation();
  const awaiting = useAwaiting(run.end.endId);
  return awaiting > 0 ? (
    <span className="faint">{t("bench.awaits")}</span>
  ) : (
    <StatusMark
      short
      status={run.end.state.status ?? "planned"}
      verdict={run.end.state.verdict ?? "none"}
      farEndUnknown={run.attempt.farEndUnknown}
    />
  );
}

/** The batch cannot be closed before its shards are counted; a mismatch is kept and shown to the lead. */
function Shards({ made, batch }: { made: number; batch: Batch }) {
  const { t } = useTranslation();
  const [counted, setCounted] = useState<number | null>(null);
  const [floorChecked, setFloorChecked] = useState(false);
  const batchId = batch.batch?.batchId;
  const say = () =>
    counted !== null &&
    batchId &&
    batch.say([
      {
        stream: "batch",
        streamId: batchId,
        kind: "container-counted",
        body: { made, counted, note: null, floorChecked },
      },
    ]);
  return (
    <div className="shards">
      <p>
        <b>{t("bench.shardsAsk")}</b> {t("bench.shardsHow")}
      </p>
      <div className="row">
        <InputNumber
          aria-label={t("bench.shardsIn")}
          min={0}
          max={10000}
          precision={0}
          value={counted}
          onChange={setCounted}
          size="large"
        />
        <Checkbox checked={floorChecked} onChange={(e) => setFloorChecked(e.target.checked)}>
          {t("bench.floorChecked")}
        </Checkbox>
        <Button size="large" type="primary" disabled={counted === null} onClick={say}>
          {t("bench.shardsSay")}
        </Button>
      </div>
      <p className="caution">{t("caution.shards")}</p>
    </div>
  );
}
