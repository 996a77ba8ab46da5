import { v7 as uuid7 } from "uuid";
import { answered, http, query, type S, upload } from "../../../api/client";
import { bare, type Mark } from "../../../domain/FaceMap";
import type { Told } from "../../../offline/useLedger";
import { toMeasure } from "../model";

/** What a file gave: kept by now, and what would be recorded of it once somebody has seen it. */
export type Given = {
  endId: string;
  address: string;
  lossDb?: number;
  distanceM?: number;
  findings?: number;
  pass?: boolean;
  /** Null where a person has to look first: the trace is not tied, the picture cannot be graded, or no connector waits for it. */
  told: Told | null;
};

/** Keeps a trace of an end, and finds the end's own connector in it. */
export async function bringTrace(endId: string, file: Blob, launchM: number): Promise<Given> {
  const view = await upload<S["TraceView"]>(`/api/ends/${endId}/traces${query({ id: uuid7(), launchM })}`, file);
  const { end, run } = await at(endId);
  const tie = view.ties.find((x) => x.endId === endId)?.event ?? null;
  const event = tie === null ? undefined : view.answer.events[tie];
  const fits = !!event && event.kind !== "end" && event.kind !== "ghost" && view.answer.launchSeen !== false;
  return {
    endId,
    address: end.address,
    lossDb: fits ? event.lossDb : undefined,
    distanceM: fits ? event.distanceM : undefined,
    told:
      run && fits
        ? {
            endId,
            attempt: run.no,
            kind: "traced",
            body: {
              runId: run.runId,
              traceId: view.traceId,
              wavelengthNm: view.answer.parameters.wavelengthNm,
              distanceM: event.distanceM,
              lossDb: event.lossDb,
              reflectanceDb: event.reflectanceDb,
              otherTraceId: null,
              lengthM: view.answer.lengthM,
              note: null,
            },
          }
        : null,
  };
}

/** Keeps a picture of an end face, and what the program finds in it. */
export async function bringPicture(endId: string, file: Blob): Promise<Given> {
  const taken = await upload<S["PictureTaken"]>(`/api/ends/${endId}/pictures${query({ id: uuid7() })}`, file);
  const { end, run } = await at(endId);
  const { answer } = taken;
  if (!answer.gradable) return { endId, address: end.address, told: null };
  const seen = answer.findings.map((f) => bare(f as Mark));
  const judged = await answered(
    http.POST("/api/ends/{endId}/judge/face", { params: { path: { endId } }, body: { seen } }),
  );
  return {
    endId,
    address: end.address,
    findings: seen.length,
    pass: judged.verdict.pass,
    told: run
      ? {
          endId,
          attempt: run.no,
          kind: "inspected",
          body: {
            runId: run.runId,
            findings: [],
            note: null,
            picture: {
              pictureId: taken.pictureId,
              widthPx: answer.widthPx,
              heightPx: answer.heightPx,
              umPerPx: answer.umPerPx,
              centreXPx: answer.centreXPx,
              centreYPx: answer.centreYPx,
              claddingDiameterPx: answer.claddingDiameterPx,
              automatic: seen,
              final: seen,
            },
          },
        }
      : null,
  };
}

async function at(endId: string) {
  const end = await answered(http.GET("/api/ends/{endId}", { params: { path: { endId } } }));
  return { end, run: toMeasure(end) };
}
