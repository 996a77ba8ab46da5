import { Alert, Button, Input } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";
import type { S } from "../../api/client";
import { useSession, useTools } from "../../api/hooks";
import { Unfit } from "../../domain/NoProcedure";
import { satisfied, siteDate } from "../../engine/preflight";
import { chosenSchools } from "../../engine/project";
import { useLedger } from "../../offline/useLedger";
import { dayText, useLength, useWords } from "../../ui/settings";
import { BatchTools, BatchWear, keptTools, useChosenTools } from "./BatchTools";
import { Leaving } from "./Leaving";
import { Preflight, said } from "./Preflight";
import { beginBatch, plannedTable, useNow } from "./useBatch";

export const MOST = 24;

type Props = {
  bench: S["PanelBench"];
  /** Ends that nobody works. */
  free: S["EndView"][];
  picked: S["EndView"][];
  onPick: (endIds: string[]) => void;
  onBegun: (batchId: string) => void;
};

/** Which strands go into the batch, and what has to be so before the first cut. */
export function BeginBatch({ bench, free, picked, onPick, onBegun }: Props) {
  const { t } = useTranslation();
  const length = useLength();
  const words = useWords();
  const tell = useLedger();
  const crewId = useSession().data?.person?.crewId;
  const now = useNow(1000);
  const navigate = useNavigate();
  const [busy, setBusy] = useState(false);
  const [chosen, setTools] = useState(keptTools);
  const toolIds = useChosenTools(chosen);
  const tools = useTools().data ?? [];
  const overdue = tools.filter((x) => toolIds.includes(x.id) && x.dueOn && x.dueOn < siteDate(now, bench.timeZone));
  const [inSpiteOf, setInSpiteOf] = useState("");
  const first = picked[0];
  const table = first && plannedTable(bench, first);
  const kept = `rhabdon.preflight.${bench.placeId}.${table?.procedureId}`;
  const [answers, setAnswers] = useState<S["PreflightAnswer"][]>([]);
  useEffect(() => setAnswers(JSON.parse(localStorage.getItem(kept) ?? "[]")), [kept]);
  const put = (next: S["PreflightAnswer"][]) => {
    setAnswers(next);
    localStorage.setItem(kept, JSON.stringify(next));
  };
  // One table for all of a batch: an ST among SCs is another batch where the procedure differs by it.
  const alike = first
    ? free.filter(
        (e) =>
          e.procedureId === first.procedureId &&
          e.procedureVersion === first.procedureVersion &&
          plannedTable(bench, e) === table,
      )
    : free;
  const some = (n: number) => onPick(alike.slice(0, Math.min(n, MOST)).map((e) => e.endId));
  const begin = async () => {
    if (!table || busy) return;
    setBusy(true);
    const { batchId, drafts } = beginBatch(
      picked,
      table,
      all,
      crewId,
      toolIds,
      overdue.length > 0 ? inSpiteOf.trim() : undefined,
    );
    const done = await tell(...drafts).finally(() => setBusy(false));
    if (!done.ok) return;
    localStorage.removeItem(kept);
    onBegun(batchId);
    navigate(`/bench/${bench.jobId}/${bench.placeId}`);
  };
  // What the crew said last and holds still is so, unless it is said otherwise; what the eye has to see is asked anew.
  const asLast = (table?.preflight ?? []).flatMap((i) => {
    const last = bench.kit.find((k) => k.itemId === i.id);
    const spoken = answers.some((a) => a.itemId === i.id);
    return last && !spoken && i.asks?.length && satisfied(i, last, now, bench.timeZone) ? [last] : [];
  });
  const all = [...answers, ...asLast];
  const missing =
    table?.preflight.filter(
      (i) =>
        !satisfied(
          i,
          all.findLast((a) => a.itemId === i.id),
          now,
          bench.timeZone,
        ),
    ) ?? [];
  const toSee = missing.filter((i) => !i.asks?.length && i.warmUpS == null && i.lastsS == null);
  const seeAll = () =>
    put([...answers.filter((a) => !toSee.some((i) => i.id === a.itemId)), ...toSee.map((i) => said(i.id))]);
  const short = picked.filter((e) => e.slack.nearlyOut);
  return (
    <aside className="hand" aria-label={t("bench.title")}>
      <p className="act">{t("bench.beginTitle")}</p>
      {free.length === 0 ? (
        <p>{t("bench.nothingFree")}</p>
      ) : (
        <>
          <p className="faint">{t("bench.beginHint", { most: MOST })}</p>
          <div className="row">
            {[1, 6, 12, 24]
              .filter((n, i, l) => n <= alike.length || (i > 0 && (l[i - 1] as number) < alike.length))
              .map((n) => (
                <Button key={n} onClick={() => some(n)}>
                  {t("bench.first", { count: Math.min(n, alike.length) })}
                </Button>
              ))}
            <Button onClick={() => onPick([])}>{t("bench.none")}</Button>
          </div>
        </>
      )}
      {table && (
        <>
          <h2 className="above">{table.title}</h2>
          <p className="faint">
            {t("bench.strandsIn", { count: picked.length })}: {picked.map((e) => e.strand.number).join(", ")}
          </p>
          <Leaving
            method={first.method}
            ends={picked.length}
            now={now}
            timeZone={bench.timeZone}
            onTake={(ends) => onPick(picked.slice(0, ends).map((e) => e.endId))}
          />
          {short.length > 0 && (
            <Alert
              type="warning"
              showIcon
              title={`${t("prep.nearlyOut")}: ${short.map((e) => `${e.address} ${length(e.slack.leftMm)}`).join(", ")}`}
            />
          )}
          <h3>{t("bench.partsFor", { count: picked.length })}</h3>
          <ol className="parts">
            {table.parts.map((p) => (
              <li key={p.id}>
                {picked.length} × {p.name}
                {p.note && <span className="faint"> · {words(p.note)}</span>}
              </li>
            ))}
          </ol>
          <h3>{t("prep.tools")}</h3>
          <ul className="parts">
            {table.tools.map((x) => (
              <li key={x.id}>
                {x.name}
                {x.setting && <span className="faint"> · {words(x.setting)}</span>}
              </li>
            ))}
          </ul>
          <BatchTools value={toolIds} onChange={setTools} />
          {overdue.length > 0 && (
            <Alert
              type="error"
              showIcon
              title={t("bench.overdue", {
                tools: overdue.map((x) => `${x.name} (${dayText(x.dueOn ?? "")})`).join(", "),
              })}
              description={
                <Input
                  aria-label={t("bench.inSpiteOfTool")}
                  placeholder={t("bench.inSpiteOfTool")}
                  maxLength={200}
                  value={inSpiteOf}
                  onChange={(e) => setInSpiteOf(e.target.value)}
                />
              }
            />
          )}
          <BatchWear toolIds={toolIds} table={table} ends={picked.length} />
          {chosenSchools(table).length > 0 && (
            <>
              <h3>{t("bench.schools")}</h3>
              <ul className="parts">
                {chosenSchools(table).map((s) => (
                  <li key={s.option}>
                    <span className="faint">{s.question}</span> {s.label}
                  </li>
                ))}
              </ul>
            </>
          )}
          <h3>{t("bench.preflight")}</h3>
          <Preflight
            key={kept}
            items={table.preflight}
            answers={all}
            kit={bench.kit}
            table={table}
            now={now}
            timeZone={bench.timeZone}
            onSay={(a) => put([...answers.filter((x) => x.itemId !== a.itemId), a])}
            onUnsay={(id) => put(answers.filter((x) => x.itemId !== id))}
          />
          <p className="caution">{t("caution.glass")}</p>
          <div className="answers">
            {toSee.length > 1 && (
              <button type="button" onClick={seeAll}>
                {t("bench.allSo", { count: toSee.length })}
              </button>
            )}
            <button
              type="button"
              className="main"
              disabled={busy || (overdue.length > 0 && !inSpiteOf.trim())}
              onClick={begin}
            >
              {t("bench.begin", { count: picked.length })}
            </button>
          </div>
          {missing.length > 0 && <p className="faint">{t("bench.missing", { count: missing.length })}</p>}
        </>
      )}
      {picked[0] && !table && <Unfit endId={picked[0].endId} count={picked.length} />}
    </aside>
  );
}
