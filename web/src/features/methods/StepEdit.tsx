import { Button } from "antd";
import { type ReactNode, useContext } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { choices } from "../../ui/Parts";
import { Drop, swap } from "../../ui/rows";
import { useWords } from "../../ui/settings";
import { BlockFaults, Choose, Complaints, Flag, Many, Num, Text, within } from "./fields";
import { OnlyWhen } from "./parts/OnlyWhen";
import { StepTrade } from "./parts/StepTrade";
import { fresh } from "./rows";
import type { Doc } from "./useDraft";

type Props = {
  doc: Doc;
  step: S["Step"];
  no: number;
  open: boolean;
  phases: { value: string; label: string }[];
  onOpen: () => void;
  onChange: (step: S["Step"]) => void;
  onDrop: () => void;
  onAdd: () => void;
  move: ReactNode;
};

const cautions = ["glass", "light", "heat", "chemicals", "alcohol", "arc", "blades", "place"] as const;

/** One act: its words, marks, timer, count and check. Closed, it is one line. */
export function StepEdit({ doc, step, no, open, phases, onOpen, onChange, onDrop, onAdd, move }: Props) {
  const { t } = useTranslation();
  const words = useWords();
  const at = `steps[${step.id}]`;
  const wrong = within(useContext(Complaints), at).length;
  const set = (change: Partial<S["Step"]>) => onChange({ ...step, ...change });
  const marks = [
    ...doc.prep.points.map((p) => ({ value: p.id, label: p.name })),
    ...doc.prep.spans.map((s) => ({ value: s.id, label: s.id })),
    ...(doc.prep.cleave ? [{ value: "cleave", label: t("prep.cleaved") }] : []),
  ];
  const reasons = choices.reason.map((r) => ({ value: r, label: t(`reason.${r}`) }));
  const later = doc.steps.slice(no).map((s) => ({ value: `goto:${s.id}`, label: `→ ${words(s.act)}` }));
  const ways = [
    { value: "next", label: t("methods.nextStep") },
    ...later,
    ...doc.ladders.map((l) => ({ value: `ladder:${l.id}`, label: `↺ ${l.title}` })),
  ];
  const answers = step.check?.answers ?? [];
  const setAnswer = (i: number, change: Partial<S["Answer"]>) =>
    step.check &&
    set({ check: { ...step.check, answers: swap(answers, i, { ...(answers[i] as S["Answer"]), ...change }) } });
  return (
    <div className={wrong > 0 ? "stepline wrong" : "stepline"}>
      <div className="row tight head">
        <button type="button" className="link" aria-expanded={open} onClick={onOpen}>
          {no}. {words(step.act)}
        </button>
        <span className="faint">
          {t(`phase.${step.phase}`)}
          {step.batch && ` · ${t("methods.batch")}`}
          {wrong > 0 && <b className="tone-bad"> · {t("methods.faults", { count: wrong })}</b>}
        </span>
        <span className="grow" />
        {move}
        <Button size="small" aria-label={t("methods.addAfter", { what: step.act })} onClick={onAdd}>
          +
        </Button>
        <Drop what={step.act} onDrop={onDrop} />
      </div>
      <BlockFaults at={at} />
      {open && (
        <div className="stepform">
          <div className="row">
            <Text
              label={t("methods.act")}
              at={`${at}.act`}
              value={step.act}
              room="xxl"
              onChange={(act) => set({ act })}
            />
            <Choose
              label={t("methods.phase")}
              at=""
              value={step.phase}
              options={phases}
              onChange={(v) => set({ phase: v as S["Phase"] })}
            />
            <Text
              label={t("methods.detail")}
              at={`${at}.detail`}
              value={step.detail ?? ""}
              room="full"
              onChange={(v) => set({ detail: v || null })}
            />
          </div>
          <div className="row">
            <Flag label={t("methods.batch")} value={step.batch ?? false} onChange={(batch) => set({ batch })} />
            <Flag
              label={t("methods.mandatory")}
              value={step.mandatory ?? false}
              onChange={(mandatory) => set({ mandatory })}
            />
            <Many
              label={t("methods.marks")}
              at={`${at}.marks`}
              value={step.marks ?? []}
              options={marks}
              onChange={(v) => set({ marks: v })}
            />
            <Choose
              label={t("methods.caution")}
              at=""
              clear
              value={step.caution}
              options={cautions.map((c) => ({ value: c, label: t(`caution.${c}`) }))}
              room="l"
              onChange={(v) => set({ caution: v as S["Caution"] | null })}
            />
            <OnlyWhen doc={doc} at={`${at}.when`} value={step.when} onChange={(when) => set({ when })} />
          </div>
          <div className="row">
            <Num
              label={`${t("methods.timer")} (s)`}
              at={`${at}.timer.durationS`}
              value={step.timer?.durationS}
              onChange={(n) =>
                set({
                  timer:
                    n === null || n === undefined
                      ? null
                      : {
                          label: step.timer?.label ?? t("methods.wait"),
                          durationS: n,
                          unattended: step.timer?.unattended ?? false,
                        },
                })
              }
            />
            {step.timer && (
              <>
                <Text
                  label={t("methods.timerLabel")}
                  at=""
                  value={step.timer.label}
                  room="m"
                  onChange={(label) => step.timer && set({ timer: { ...step.timer, label } })}
                />
                <Flag
                  label={t("methods.unattended")}
                  value={step.timer.unattended ?? false}
                  onChange={(unattended) => step.timer && set({ timer: { ...step.timer, unattended } })}
                />
              </>
            )}
            <Text
              label={t("methods.countWhat")}
              at={`${at}.count`}
              value={step.count?.what ?? ""}
              room="m"
              onChange={(what) => set({ count: what ? { min: 1, max: 10, ...step.count, what } : null })}
            />
            {step.count && (
              <>
                <Num
                  label={t("methods.least")}
                  at=""
                  value={step.count.min}
                  onChange={(n) => step.count && set({ count: { ...step.count, min: n ?? 0 } })}
                />
                <Num
                  label={t("methods.most")}
                  at=""
                  value={step.count.max}
                  onChange={(n) => step.count && set({ count: { ...step.count, max: n ?? 0 } })}
                />
                <Text
                  label={t("methods.film")}
                  at=""
                  value={step.count.film ?? ""}
                  room="xs"
                  onChange={(film) => step.count && set({ count: { ...step.count, film: film || null } })}
                />
                <Num
                  label={t("methods.pace")}
                  at={`${at}.count.pacePerS`}
                  value={step.count.pacePerS}
                  onChange={(n) => step.count && set({ count: { ...step.count, pacePerS: n ?? null } })}
                />
                <Num
                  label={t("methods.sheetLimit")}
                  at={`${at}.count.sheetLimit`}
                  value={step.count.sheetLimit}
                  onChange={(n) => step.count && set({ count: { ...step.count, sheetLimit: n ?? null } })}
                />
              </>
            )}
            <Num
              label={t("methods.shards")}
              at={`${at}.shards`}
              value={step.shards ?? 0}
              room="xs"
              onChange={(n) => set({ shards: n ?? 0 })}
            />
            <Num
              label={t("methods.cleaves")}
              at=""
              value={step.cleaves ?? 0}
              room="xs"
              onChange={(n) => set({ cleaves: n ?? 0 })}
            />
            <Num
              label={t("methods.arcs")}
              at=""
              value={step.arcs ?? 0}
              room="xs"
              onChange={(n) => set({ arcs: n ?? 0 })}
            />
          </div>
          <StepTrade doc={doc} step={step} at={at} set={set} />
          {step.check ? (
            <>
              <div className="row">
                <Text
                  label={t("methods.question")}
                  at={`${at}.check.answers`}
                  value={step.check.question}
                  onChange={(question) => step.check && set({ check: { ...step.check, question } })}
                />
                <Drop what={t("methods.question")} onDrop={() => set({ check: null })} />
              </div>
              {answers.map((a, i) => {
                const where = `${at}.check.answers[${a.id}]`;
                return (
                  <div className="row line" key={a.id}>
                    <Text
                      label={t("methods.answer", { no: i + 1 })}
                      at={where}
                      value={a.label}
                      room="m"
                      onChange={(label) => setAnswer(i, { label })}
                    />
                    <Choose
                      label={t("methods.tone")}
                      at=""
                      value={a.tone}
                      room="s"
                      options={["good", "doubtful", "bad"].map((x) => ({ value: x, label: t(`methods.tones.${x}`) }))}
                      onChange={(v) => setAnswer(i, { tone: v as S["Tone"] })}
                    />
                    <Choose
                      label={t("methods.leads")}
                      at={a.goto != null ? `${where}.goto` : `${where}.ladder`}
                      clear
                      room="l"
                      value={
                        a.next
                          ? "next"
                          : a.goto != null
                            ? `goto:${a.goto}`
                            : a.ladder != null
                              ? `ladder:${a.ladder}`
                              : null
                      }
                      options={ways}
                      onChange={(v) =>
                        setAnswer(i, {
                          next: v === "next",
                          goto: v?.startsWith("goto:") ? v.slice(5) : null,
                          ladder: v?.startsWith("ladder:") ? v.slice(7) : null,
                        })
                      }
                    />
                    <Choose
                      label={t("methods.reason")}
                      at=""
                      clear
                      value={a.reason}
                      options={reasons}
                      room="l"
                      onChange={(v) => setAnswer(i, { reason: v as S["Answer"]["reason"] })}
                    />
                    <Drop
                      what={a.label}
                      onDrop={() =>
                        step.check && set({ check: { ...step.check, answers: answers.filter((_, n) => n !== i) } })
                      }
                    />
                  </div>
                );
              })}
              <Button
                onClick={() =>
                  step.check &&
                  set({
                    check: {
                      ...step.check,
                      answers: [
                        ...answers,
                        {
                          id: fresh(
                            "answer",
                            answers.map((a) => a.id),
                          ),
                          label: t("methods.newAnswer"),
                          tone: "doubtful",
                          next: true,
                        },
                      ],
                    },
                  })
                }
              >
                {t("methods.addAnswer")}
              </Button>
            </>
          ) : (
            <Button
              onClick={() =>
                set({
                  check: {
                    question: t("methods.newQuestion"),
                    answers: [
                      { id: "good", label: t("methods.tones.good"), tone: "good", next: true },
                      {
                        id: "bad",
                        label: t("methods.tones.bad"),
                        tone: "bad",
                        next: false,
                        ladder: doc.ladders[0]?.id ?? null,
                      },
                    ],
                  },
                })
              }
            >
              {t("methods.addCheck")}
            </Button>
          )}
        </div>
      )}
    </div>
  );
}
