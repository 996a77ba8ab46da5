import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Drop, swap } from "../../ui/rows";
import { useWords } from "../../ui/settings";
import { BlockFaults, Choose, Many, Num, Text } from "./fields";
import { OnlyWhen } from "./parts/OnlyWhen";
import { fresh } from "./rows";
import type { Doc } from "./useDraft";

type Props = { doc: Doc; ladder: S["Ladder"]; onChange: (ladder: S["Ladder"]) => void; onDrop: () => void };

/** What to try, in order, when a check goes wrong, with what each try costs. */
export function LadderEdit({ doc, ladder, onChange, onDrop }: Props) {
  const { t } = useTranslation();
  const words = useWords();
  const at = `ladders[${ladder.id}]`;
  const set = (i: number, change: Partial<S["Rung"]>) =>
    onChange({ ...ladder, rungs: swap(ladder.rungs, i, { ...(ladder.rungs[i] as S["Rung"]), ...change }) });
  const ways = [
    { value: "end", label: t("methods.newAttempt") },
    ...doc.steps.map((s) => ({ value: s.id, label: `↺ ${words(s.act)}` })),
  ];
  const costs = ["none", "restrip", "recleave", "cut-off"].map((c) => ({ value: c, label: t(`methods.cost.${c}`) }));
  return (
    <div className="stepline">
      <div className="row">
        <Text
          label={t("methods.ladderName")}
          at={at}
          value={ladder.title}
          onChange={(title) => onChange({ ...ladder, title })}
        />
        <Drop what={ladder.title} onDrop={onDrop} />
      </div>
      <BlockFaults at={`${at}.rungs`} />
      {ladder.rungs.map((r, i) => {
        const where = `${at}.rungs[${r.id}]`;
        return (
          <div className="row line" key={r.id}>
            <Text
              label={t("methods.rungNo", { no: i + 1 })}
              at={where}
              value={r.act}
              room="xl"
              onChange={(act) => set(i, { act })}
            />
            <Choose
              label={t("methods.leads")}
              at={`${where}.goto`}
              value={r.newAttempt ? "end" : r.goto}
              options={ways}
              room="l"
              onChange={(v) => set(i, { newAttempt: v === "end", goto: v === "end" ? null : v })}
            />
            <Num
              label={t("methods.tries")}
              at={`${where}.tries`}
              value={r.tries ?? 1}
              room="xs"
              onChange={(n) => set(i, { tries: n ?? 1 })}
            />
            <Num
              label={t("methods.minutes")}
              at=""
              value={r.minutes}
              room="xs"
              onChange={(n) => set(i, { minutes: n ?? 0 })}
            />
            <Choose
              label={t("methods.slack")}
              at=""
              value={r.slack ?? "none"}
              options={costs}
              onChange={(v) => set(i, { slack: v as S["SlackCost"] })}
            />
            <Many
              label={t("methods.partsLost")}
              at={`${where}.parts`}
              value={r.parts ?? []}
              options={doc.parts.map((p) => ({ value: p.id, label: p.name }))}
              room="m"
              onChange={(parts) => set(i, { parts })}
            />
            <OnlyWhen doc={doc} at={`${where}.when`} value={r.when} onChange={(when) => set(i, { when })} />
            <Drop what={r.act} onDrop={() => onChange({ ...ladder, rungs: ladder.rungs.filter((_, n) => n !== i) })} />
          </div>
        );
      })}
      <Button
        onClick={() =>
          onChange({
            ...ladder,
            rungs: [
              {
                id: fresh(
                  "rung",
                  ladder.rungs.map((r) => r.id),
                ),
                act: t("methods.newRung"),
                minutes: 2,
                tries: 1,
                newAttempt: false,
                goto: doc.steps[0]?.id ?? null,
              },
              ...ladder.rungs,
            ],
          })
        }
      >
        {t("methods.addRung")}
      </Button>
    </div>
  );
}
