import { Button, Checkbox, Input, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { satisfied, siteDate } from "../../engine/preflight";
import { DayField } from "../../ui/DayField";
import { Scan } from "../../ui/Scan";
import { useWords } from "../../ui/settings";
import { clockText } from "./Counters";

type Props = {
  items: S["PreflightItem"][];
  answers: S["PreflightAnswer"][];
  /** What the crew said last time, offered again. */
  kit: S["PreflightAnswer"][];
  table: S["RunTable"];
  now: number;
  /** Of the site: a use-by date is its date. */
  timeZone: string;
  onSay: (answer: S["PreflightAnswer"]) => void;
  onUnsay?: (itemId: string) => void;
};

/** What has to be so before the first cut. What is missing blocks only what it endangers, and says why. */
export function Preflight({ items, answers, kit, table, now, timeZone, onSay, onUnsay }: Props) {
  const { t } = useTranslation();
  const words = useWords();
  return (
    <ul className="list preflight">
      {items.map((item) => {
        const answer = answers.findLast((a) => a.itemId === item.id);
        const good = satisfied(item, answer, now, timeZone);
        const guards = item.guards.map((g) => words(table.states.find((s) => s.id === g)?.act)).filter(Boolean);
        return (
          <li key={item.id}>
            <Item
              item={item}
              answer={answer}
              last={kit.find((a) => a.itemId === item.id)}
              good={good}
              now={now}
              timeZone={timeZone}
              onSay={onSay}
              onUnsay={onUnsay}
            />
            {!good && (
              <div className="faint why">
                {words(item.why)} {guards.length > 0 && t("bench.holds", { steps: guards.join("; ") })}
              </div>
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** The answer to what is seen to be so, and asks for nothing to be read off. */
export const said = (itemId: string): S["PreflightAnswer"] => ({
  itemId,
  at: new Date().toISOString(),
  lot: null,
  useBy: null,
  number: null,
  saidIn: null,
  inSpiteOf: null,
});

type ItemProps = {
  item: S["PreflightItem"];
  answer?: S["PreflightAnswer"];
  last?: S["PreflightAnswer"];
  good: boolean;
  now: number;
  timeZone: string;
  onSay: (answer: S["PreflightAnswer"]) => void;
  onUnsay?: (itemId: string) => void;
};

function Item({ item, answer, last, good, now, timeZone, onSay, onUnsay }: ItemProps) {
  const { t } = useTranslation();
  const words = useWords();
  const asks = item.asks ?? [];
  const known = answer ?? last;
  const [lot, setLot] = useState(known?.lot ?? "");
  const [useBy, setUseBy] = useState(known?.useBy ?? null);
  const [number, setNumber] = useState<number | null>(known?.number ?? null);
  const [inSpiteOf, setInSpiteOf] = useState(answer?.inSpiteOf ?? "");
  // A lot past its day stops what rests on it; going on needs a reason, which every connector of it keeps.
  const expired = asks.includes("use-by") && !!useBy && useBy < siteDate(now, timeZone);
  const say = () =>
    onSay({
      itemId: item.id,
      at: new Date().toISOString(),
      lot: lot || null,
      useBy: useBy ?? null,
      number,
      // What the crew said before and holds still is cited, not said again.
      inSpiteOf: (expired && inSpiteOf.trim()) || null,
      saidIn: last && !expired && sameWord(last, { lot, useBy, number }) ? (last.saidIn ?? null) : null,
    });
  const name = words(item.text);
  if (item.warmUpS != null || item.lastsS != null) {
    const span = item.warmUpS ?? item.lastsS ?? 0;
    const left = answer ? Math.max(0, Math.ceil((Date.parse(answer.at) + span * 1000 - now) / 1000)) : span;
    return (
      <div className="row middle">
        <span className={good ? "tone-good" : ""}>{name}</span>
        {answer && left > 0 && <b role="timer">{clockText(left)}</b>}
        {answer && good && item.warmUpS != null && <b className="tone-good">{t("bench.warm")}</b>}
        {(!answer || (item.lastsS != null && left === 0)) && (
          <Button onClick={say}>{t(item.warmUpS != null ? "bench.switchedOn" : "bench.begunNow")}</Button>
        )}
      </div>
    );
  }
  if (asks.length > 0) {
    return (
      <div className="row middle">
        <span className={good ? "tone-good" : ""}>{name}</span>
        {asks.includes("lot") && (
          <Input
            aria-label={t("bench.lotOf", { item: name })}
            placeholder={t("bench.lot")}
            value={lot}
            maxLength={60}
            onChange={(e) => setLot(e.target.value)}
            className="w-s"
          />
        )}
        {asks.includes("lot") && <Scan label={t("scan.scan")} onRead={(text) => setLot(text.trim().slice(0, 60))} />}
        {asks.includes("use-by") && (
          <span className="row middle">
            <span className="faint">{t("bench.useBy")}</span>
            <DayField aria-label={t("bench.useByOf", { item: name })} value={useBy} onChange={setUseBy} />
          </span>
        )}
        {asks.includes("number") && (
          <InputNumber
            aria-label={name}
            value={number}
            onChange={setNumber}
            suffix={item.unit ?? undefined}
            className="w-s"
          />
        )}
        {expired && (
          <Input
            aria-label={t("bench.inSpiteOfLot")}
            placeholder={t("bench.inSpiteOfLot")}
            className="w-l"
            maxLength={200}
            value={inSpiteOf}
            onChange={(e) => setInSpiteOf(e.target.value)}
          />
        )}
        <Button onClick={say} type={good ? "default" : "primary"}>
          {good ? t(answer && answer === last ? "bench.asLast" : "bench.said") : t("bench.sayIt")}
        </Button>
        {answer && !good && <span className="tone-bad">{t("bench.notGood")}</span>}
      </div>
    );
  }
  return (
    <Checkbox
      checked={good}
      onChange={(e) => (e.target.checked ? say() : onUnsay?.(item.id))}
      disabled={good && !onUnsay}
    >
      {name}
    </Checkbox>
  );
}

const sameWord = (a: S["PreflightAnswer"], b: { lot: string; useBy: string | null; number: number | null }) =>
  (a.lot ?? "") === b.lot && (a.useBy ?? null) === b.useBy && (a.number ?? null) === b.number;
