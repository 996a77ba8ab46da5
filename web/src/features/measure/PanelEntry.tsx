import { App, Button, Input, InputNumber, Select } from "antd";
import { type KeyboardEvent, useState, useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";
import { answered, api, http, type S } from "../../api/client";
import { usePlace } from "../../api/hooks";
import { BendHint } from "../../domain/BendHint";
import { FarEndAsk, farUnsaid, ofFarEnd } from "../../domain/FarEndAsk";
import { LiveLoss } from "../../domain/LiveLoss";
import { ReferenceSet } from "../../domain/ReferenceSet";
import { keepReference, keptReference, measuredWith, readingDbm, useReferenceState } from "../../domain/reference";
import { isOpen } from "../../engine/project";
import { outbox, outcomeOf } from "../../offline/outbox";
import { type Told, useLedger } from "../../offline/useLedger";
import { FilePick } from "../../ui/FilePick";
import { Await, Grid, useFault } from "../../ui/Parts";
import { dB } from "../../ui/settings";
import { toMeasure } from "./model";
import { SuspectBars } from "./parts/SuspectBars";

type Reading = {
  endId: string;
  wavelengthNm: number;
  referenceDbm: number;
  readingDbm: number;
  /** The meter showed the loss itself, on its own reference. */
  meterLoss: boolean;
  row?: number;
};

const fields = ["port", "address", "wavelengthNm", "lossDb", "readingDbm"] as const;

/** A whole panel's readings: typed from top to bottom, or pasted from the meter's table; and which connector loses the light. */
export function PanelEntry({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const { message } = App.useApp();
  const fault = useFault();
  const tell = useLedger();
  const panel = usePlace(end.placeId);
  const [typed, setTyped] = useState<Record<string, number | null>>({});
  // What was pasted is there again after a look at another tab; this window alone has it.
  const kept = `rhabdon.pasted.${end.placeId}`;
  const [csv, setPasted] = useState(() => sessionStorage.getItem(kept) ?? "");
  const setCsv = (text: string) => {
    sessionStorage.setItem(kept, text);
    setPasted(text);
  };
  const [columns, setColumns] = useState<S["ReadingColumns"] | null>(null);
  const [answer, setAnswer] = useState<S["ReadingsAnswer"] | null>(null);
  const [nm, setNm] = useState(end.testWavelengthsNm[0] ?? 850);
  const [last, setReference] = useState(keptReference);
  // Where nobody said otherwise, what is typed is the loss that a zeroed meter shows.
  const reference = { ...last, shows: last.shows ?? ("db" as const) };
  const { levelOf, old, cordsWorn } = useReferenceState(reference, end.testWavelengthsNm, end.mode);
  const [farSaid, sayFar] = useState(farUnsaid);
  // Which event each row of the table became, so that the row can say what came of it.
  const [eventOf, setEventOf] = useState<Record<number, string>>({});
  useSyncExternalStore(outbox.subscribe, outbox.count);
  const suspects = api.useQuery(
    "get",
    "/api/places/{placeId}/suspects",
    { params: { path: { placeId: end.placeId } } },
    { refetchOnMount: "always" },
  );
  const ends = panel.data?.ends ?? [];
  const attemptOf = (endId: string) => toMeasure(ends.find((e) => e.endId === endId));
  const wavelengths = end.testWavelengthsNm;
  const check = async (text: string, cols: S["ReadingColumns"] | null) => {
    try {
      const body = {
        csv: text,
        columns: cols,
        wavelengthNm: nm,
        referenceDbm: Object.fromEntries(
          Object.keys(reference.levels).flatMap((w) => {
            const level = levelOf(Number(w));
            return level === null ? [] : [[w, level]];
          }),
        ),
        reference: reference.method,
        instrumentId: reference.instrumentId ?? null,
      };
      const next = await answered(
        http.POST("/api/places/{placeId}/readings/check", { params: { path: { placeId: end.placeId } }, body }),
      );
      setAnswer(next);
      setEventOf({});
      setColumns(next.columns);
    } catch (e) {
      setAnswer(null);
      fault(e);
    }
  };
  const record = async (rows: Reading[]) => {
    const ready = rows.flatMap((r) => {
      const e = ends.find((x) => x.endId === r.endId);
      const attempt = attemptOf(r.endId);
      return e && attempt ? [{ r, e, attempt }] : [];
    });
    const told: Told[] = ready.map(({ r, e, attempt }) => {
      return {
        endId: r.endId,
        attempt: attempt.no,
        kind: "measured" as const,
        body: {
          runId: attempt.runId,
          // A loss that the meter shows itself stands on the meter's own reference.
          ...(r.meterLoss
            ? {
                reference: reference.method,
                wavelengthNm: r.wavelengthNm,
                referenceDbm: r.referenceDbm,
                readingDbm: r.readingDbm,
              }
            : measuredWith(reference, r.wavelengthNm, r.readingDbm)),
          ...(e.farEndMade ? { into: null, note: null } : ofFarEnd(farSaid)),
        },
      };
    });
    if (told.length === 0) {
      message.warning(t("panelEntry.noneReady"));
      return;
    }
    const done = await tell(...told);
    if (done.ok) {
      setTyped({});
      setEventOf(
        Object.fromEntries(ready.flatMap(({ r }, i) => (r.row && done.events[i] ? [[r.row, done.events[i].id]] : []))),
      );
      const refused = done.events.filter((e) => outcomeOf(e.id)?.outcome === "quarantined").length;
      message.success(t("panelEntry.recorded", { count: told.length - refused }));
      await suspects.refetch();
    }
  };
  /** A zeroed meter stands on its own reference, also where nobody said when that was set. */
  const standsOn = (w: number) => levelOf(w) ?? (reference.shows === "db" && !cordsWorn ? 0 : null);
  const filled = Object.entries(typed).flatMap(([key, shown]) => {
    const [endId, w] = key.split("@");
    const wavelengthNm = Number(w);
    const level = standsOn(wavelengthNm);
    return typeof shown !== "number" || !endId || level === null
      ? []
      : [
          {
            endId,
            wavelengthNm,
            referenceDbm: level,
            readingDbm: readingDbm(reference, shown),
            meterLoss: levelOf(wavelengthNm) === null,
          },
        ];
  });
  const good = (answer?.rows ?? []).filter((r) => !r.problem && !r.notNow && r.endId && !eventOf[r.row]);
  const farUnknown = ends.filter((e) => !e.farEndMade && attemptOf(e.endId));
  const became = (r: S["ReadingRow"]) => {
    const id = eventOf[r.row];
    const outcome = id ? outcomeOf(id) : undefined;
    if (r.problem) return <span className="tone-bad">{t("panelEntry.notRead")}</span>;
    if (r.notNow) return <span className="tone-doubtful">{r.notNow.message}</span>;
    if (!id) return <span className="faint">{t("panelEntry.willRecord")}</span>;
    if (!outcome) return <span className="tone-doubtful">{t("panelEntry.unsent")}</span>;
    return outcome.outcome === "quarantined" ? (
      <span className="tone-bad">{t("panelEntry.refusedRow", { reason: outcome.refusal?.message })}</span>
    ) : (
      <span className="tone-good">{t("panelEntry.isRecorded")}</span>
    );
  };
  const onward = (e: KeyboardEvent<HTMLInputElement>) => {
    if (e.key !== "Enter" && e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
    e.preventDefault();
    // Down one wavelength, then down the next.
    const cells = [...document.querySelectorAll<HTMLTableRowElement>(".entry tbody tr")];
    const of = (w: number) => cells.flatMap((row) => [...(row.cells[w + 1]?.querySelectorAll("input") ?? [])]);
    const all = wavelengths.flatMap((_, w) => of(w));
    all[all.indexOf(e.currentTarget) + (e.key === "ArrowUp" ? -1 : 1)]?.focus();
  };
  return (
    <Await of={panel}>
      {(p) => (
        <>
          {farUnknown.length > 0 && (
            <section className="card">
              <FarEndAsk value={farSaid} onChange={sayFar} far={farUnknown.map((e) => e.farAddress)} />
            </section>
          )}
          <div className="cols">
            <section className="card">
              <h2>{t("panelEntry.typed", { panel: p.panelCode })}</h2>
              <p className="faint">{t("panelEntry.typedHint")}</p>
              <ReferenceSet
                at={end}
                reference={reference}
                wavelengths={wavelengths}
                onChange={(r) => setReference(keepReference(r))}
              />
              <div className="entry">
                <Grid
                  rowKey={(e) => e.endId}
                  rows={p.ends}
                  columns={[
                    {
                      title: t("panelEntry.end"),
                      render: (e) => (
                        <>
                          {e.address}
                          <BendHint
                            wavelengths={wavelengths}
                            reference={reference}
                            referenceDbm={standsOn}
                            shown={(w) => typed[`${e.endId}@${w}`]}
                          />
                        </>
                      ),
                    },
                    ...wavelengths.map((w) => ({
                      title: `${w} nm (${reference.shows === "db" ? "dB" : "dBm"})`,
                      render: (e: S["EndView"]) => {
                        const last = e.state.attempts
                          .filter(isOpen)
                          .at(-1)
                          ?.losses.find((l) => l.judgement.wavelengthNm === w)?.judgement;
                        return attemptOf(e.endId) ? (
                          <>
                            <InputNumber
                              aria-label={t("panelEntry.lossAt", { end: e.address, nm: w })}
                              className="w-xs"
                              min={-80}
                              max={60}
                              step={0.01}
                              controls={false}
                              placeholder={last ? dB(last.lossDb) : ""}
                              value={typed[`${e.endId}@${w}`] ?? null}
                              onChange={(v) => setTyped({ ...typed, [`${e.endId}@${w}`]: v })}
                              onKeyDown={onward}
                            />
                            <LiveLoss
                              end={e}
                              nm={w}
                              reference={reference}
                              referenceDbm={standsOn(w)}
                              shown={typed[`${e.endId}@${w}`]}
                            />
                          </>
                        ) : (
                          <span className="faint">
                            {last ? dB(last.lossDb) : t(`status.${e.state.status ?? "planned"}`)}
                          </span>
                        );
                      },
                    })),
                  ]}
                />
              </div>
              <Button type="primary" size="large" disabled={filled.length === 0} onClick={() => record(filled)}>
                {t("panelEntry.record", { count: filled.length })}
              </Button>
            </section>
            <section className="card">
              <h2>{t("panelEntry.paste")}</h2>
              <Input.TextArea
                aria-label={t("panelEntry.table")}
                rows={6}
                placeholder={t("panelEntry.pasteHint")}
                value={csv}
                onChange={(e) => {
                  setCsv(e.target.value);
                  setColumns(null);
                  setAnswer(null);
                }}
              />
              {old.length > 0 && <p className="tone-doubtful">{t("measure.oldReference", { nm: old.join(", ") })}</p>}
              <div className="row apart">
                <FilePick
                  label={t("panelEntry.file")}
                  accept=".csv,.tsv,.txt"
                  first={false}
                  busy={false}
                  onFile={async (f) => {
                    const text = await f.text();
                    setCsv(text);
                    await check(text, null);
                  }}
                />
                <Button disabled={!csv.trim()} onClick={() => check(csv, columns)}>
                  {t("panelEntry.check")}
                </Button>
                <label>
                  <span className="faint">{t("panelEntry.without")} </span>
                  <Select
                    aria-label={t("panelEntry.without")}
                    value={nm}
                    onChange={setNm}
                    options={wavelengths.map((w) => ({ value: w, label: `${w} nm` }))}
                  />
                </label>
              </div>
              {answer && (
                <>
                  <div className="row">
                    {fields.map((f) => (
                      <label key={f}>
                        <div className="faint">{t(`panelEntry.${f}`)}</div>
                        <Select
                          allowClear
                          aria-label={t(`panelEntry.${f}`)}
                          className="w-s"
                          value={columns?.[f] ?? undefined}
                          onChange={(v) => {
                            const next = { ...columns, [f]: v ?? null } as S["ReadingColumns"];
                            setColumns(next);
                            void check(csv, next);
                          }}
                          options={answer.headings.map((h) => ({ value: h, label: h }))}
                        />
                      </label>
                    ))}
                  </div>
                  <Grid
                    rowKey={(r) => `${r.row}`}
                    rows={answer.rows}
                    columns={[
                      { title: t("panelEntry.row"), render: (r) => r.row },
                      { title: t("panelEntry.end"), render: (r) => r.address ?? "" },
                      { title: "nm", render: (r) => r.wavelengthNm ?? "" },
                      {
                        title: t("measure.loss"),
                        render: (r) =>
                          r.problem ? (
                            <span className="tone-bad">{r.problem.message}</span>
                          ) : (
                            <span
                              className={
                                r.judgement?.verdict === "pass"
                                  ? "tone-good"
                                  : r.judgement?.verdict.startsWith("marginal")
                                    ? "tone-doubtful"
                                    : "tone-bad"
                              }
                            >
                              {dB(r.judgement?.lossDb ?? 0)} dB · {t(`loss.${r.judgement?.verdict}`)}
                            </span>
                          ),
                      },
                      { title: t("panelEntry.became"), render: became },
                    ]}
                  />
                  <Button
                    type="primary"
                    size="large"
                    disabled={good.length === 0}
                    onClick={() =>
                      record(
                        good.map((r) => ({
                          endId: r.endId ?? "",
                          wavelengthNm: r.wavelengthNm ?? 0,
                          referenceDbm: r.referenceDbm ?? 0,
                          readingDbm: r.readingDbm ?? 0,
                          meterLoss: r.meterLoss,
                          row: r.row,
                        })),
                      )
                    }
                  >
                    {t("panelEntry.record", { count: good.length })}
                  </Button>
                </>
              )}
            </section>
          </div>
          <section className="card">
            <h2>{t("suspect.title")}</h2>
            <Await of={suspects}>
              {(s) =>
                s.answer ? (
                  <>
                    <p className={s.answer.suspect ? "tone-bad" : "tone-good"}>
                      {s.answer.suspect
                        ? t(
                            s.answer.parts.find((x) => x.part === s.answer?.suspect)?.together
                              ? "suspect.link"
                              : s.answer.sure
                                ? "suspect.sure"
                                : "suspect.unsure",
                            { part: s.answer.suspect },
                          )
                        : t("suspect.none")}
                    </p>
                    <p className="faint">{t("suspect.from", { count: s.links })}</p>
                    <SuspectBars parts={s.answer.parts.slice(0, 12)} />
                  </>
                ) : (
                  <p className="faint">{t("suspect.nothing")}</p>
                )
              }
            </Await>
          </section>
        </>
      )}
    </Await>
  );
}
