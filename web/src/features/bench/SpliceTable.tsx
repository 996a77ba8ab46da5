import { App, Button } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { answered, http, type S } from "../../api/client";
import { FilePick } from "../../ui/FilePick";
import { reasonOf } from "../../ui/reason";
import { dB } from "../../ui/settings";
import type { Batch, Run } from "./useBatch";

/** The splicer's own table, read for a whole batch: each row becomes the reading of one splice. */
export function SpliceTable(props: { batch: Batch; placeId: string; limits: S["SpliceLimits"]; runs: Run[] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const { batch, placeId, limits, runs } = props;
  const [busy, setBusy] = useState(false);
  const [answer, setAnswer] = useState<S["SplicesAnswer"]>();
  const read = async (file: Blob) => {
    setBusy(true);
    try {
      const body = { csv: await file.text(), endIds: runs.map((r) => r.end.endId), columns: null };
      setAnswer(
        await answered(http.POST("/api/places/{placeId}/splices/check", { params: { path: { placeId } }, body })),
      );
    } catch (e) {
      setAnswer(undefined);
      message.error(reasonOf(e) ?? t("app.offline"), 8);
    } finally {
      setBusy(false);
    }
  };
  const good = (answer?.rows ?? []).flatMap((row) => {
    const run = runs.find((r) => r.end.endId === row.endId);
    return run && !row.problem && row.lossDb !== null ? [{ run, row, lossDb: row.lossDb }] : [];
  });
  const record = async () => {
    const said = await batch.say(
      good.map(({ run, row, lossDb }) => ({
        endId: run.end.endId,
        attempt: run.attempt.no,
        kind: "splice-read" as const,
        body: {
          runId: run.attempt.runId,
          lossDb,
          leftAngleDeg: row.leftAngleDeg,
          rightAngleDeg: row.rightAngleDeg,
          estimated: true,
          note: null,
        },
      })),
    );
    if (said) setAnswer(undefined);
  };
  const figure = (value: number | null, most: number, text: string) => (
    <span className={value !== null && value >= most ? "tone-doubtful" : ""}>{value === null ? "–" : text}</span>
  );
  return (
    <section className="above" aria-label={t("bench.splice.table")}>
      <div className="row middle">
        <FilePick label={t("bench.splice.pick")} accept=".csv,.txt" first={false} busy={busy} onFile={read} />
        <span className="faint">{t("bench.splice.hint")}</span>
      </div>
      {answer && (
        <>
          <table className="grid proof">
            <thead>
              <tr>
                <th>{t("panelEntry.end")}</th>
                <th>{t("bench.splice.lossDb")} (dB)</th>
                <th>{t("bench.splice.leftAngleDeg")} (°)</th>
                <th>{t("bench.splice.rightAngleDeg")} (°)</th>
              </tr>
            </thead>
            <tbody>
              {answer.rows.map((r) => (
                <tr key={r.row}>
                  <td>{r.address ?? "–"}</td>
                  {r.problem ? (
                    <td colSpan={3} className="tone-bad">
                      {r.problem.message}
                    </td>
                  ) : (
                    <>
                      <td>{figure(r.lossDb, limits.mostLossDb, dB(r.lossDb ?? 0))}</td>
                      <td>{figure(r.leftAngleDeg, limits.mostAngleDeg, String(r.leftAngleDeg))}</td>
                      <td>{figure(r.rightAngleDeg, limits.mostAngleDeg, String(r.rightAngleDeg))}</td>
                    </>
                  )}
                </tr>
              ))}
            </tbody>
          </table>
          <div className="row">
            <Button type="primary" size="large" disabled={good.length === 0} onClick={record}>
              {t("bench.splice.record", { count: good.length })}
            </Button>
            <Button size="large" onClick={() => setAnswer(undefined)}>
              {t("bench.splice.drop")}
            </Button>
          </div>
        </>
      )}
    </section>
  );
}
