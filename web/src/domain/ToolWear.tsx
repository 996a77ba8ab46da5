import { Button, InputNumber } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import type { StreamDraft } from "../offline/outbox";

/** The field of `tool-counter-read` that a kind of wear is corrected by. */
const FIELD: Record<S["WearKind"], string> = {
  "arcs-of-charge": "arcsOfCharge",
  "arcs-of-electrodes": "arcsOfElectrodes",
  "cleaves-of-position": "cleavesOfPosition",
  "strokes-of-sheet": "strokesOfSheet",
  "minutes-of-charge": "minutesOfCharge",
};

/** What of a tool wears and what is left: advice, never a stop. Its own counter, where it has one, is right. */
export function ToolWear(props: {
  tool: S["ToolState"];
  /** What a batch will take of it. */
  needed?: (kind: S["WearKind"]) => number;
  say?: (d: StreamDraft) => unknown;
}) {
  const { t } = useTranslation();
  const { tool, needed, say } = props;
  if (!tool.wear?.length) return null;
  return (
    <ul className="list wear" aria-label={t("wear.of", { tool: tool.name })}>
      {tool.wear.map((w) => {
        const need = needed?.(w.kind) ?? 0;
        const short = w.left < Math.max(need, 0) || w.left <= 0;
        return (
          <li key={w.kind} className="row middle">
            <span className={short || w.low ? "tone-doubtful" : "faint"}>
              {t(`wear.${w.kind}`, { done: w.done, typical: w.typical })}
              {tool.kind === "cleaver" && ` · ${t("wear.position", { no: tool.bladePosition })}`}
              {" · "}
              {w.left > 0 ? t("wear.left", { count: w.left }) : t("wear.over", { count: -w.left })}
              {short && need > 0 && w.left > 0 && ` · ${t("wear.needs", { count: need })}`}
              {(short || w.low) && ` · ${t(`wear.advice.${w.kind}`)}`}
            </span>
            {say && <Counter tool={tool} wear={w} say={say} />}
          </li>
        );
      })}
    </ul>
  );
}

function Counter({ tool, wear, say }: { tool: S["ToolState"]; wear: S["Wear"]; say: (d: StreamDraft) => unknown }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const [shown, setShown] = useState<number | null>(wear.done);
  if (!open)
    return (
      <button type="button" className="link" onClick={() => setOpen(true)}>
        {t("wear.correct")}
      </button>
    );
  return (
    <span className="row middle">
      <InputNumber
        aria-label={`${t("wear.shows")}: ${tool.name}`}
        min={0}
        max={1_000_000}
        precision={0}
        value={shown}
        onChange={setShown}
      />
      <Button
        disabled={shown === null}
        onClick={async () => {
          await say({
            stream: "tool",
            streamId: tool.id,
            kind: "tool-counter-read",
            body: { [FIELD[wear.kind]]: shown },
          });
          setOpen(false);
        }}
      >
        {t("wear.say")}
      </Button>
    </span>
  );
}
