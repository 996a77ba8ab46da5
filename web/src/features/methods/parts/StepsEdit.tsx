import { Button } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { phases } from "../../../domain/Loom";
import { swap } from "../../../ui/rows";
import { BlockFaults } from "../fields";
import { fresh, Move } from "../rows";
import { StepEdit } from "../StepEdit";
import type { Editing } from "../useDraft";

/** The acts, in their order. */
export function StepsEdit({
  doc,
  set,
  open,
  setOpen,
}: Editing & { open: string | null; setOpen: (id: string | null) => void }) {
  const { t } = useTranslation();
  const addStep = (after: number) => {
    const id = fresh(
      "step",
      doc.steps.map((s) => s.id),
    );
    const step: S["Step"] = {
      id,
      phase: doc.steps[after]?.phase ?? "thread",
      act: t("methods.newStep"),
      mandatory: true,
      batch: false,
      once: false,
      lit: false,
      shards: 0,
      cleaves: 0,
      arcs: 0,
    };
    set({ steps: [...doc.steps.slice(0, after + 1), step, ...doc.steps.slice(after + 1)] });
    setOpen(id);
  };
  return (
    <section className="card">
      <h2>{t("methods.steps")}</h2>
      <BlockFaults at="steps" />
      {doc.steps.map((s, i) => (
        <StepEdit
          key={s.id}
          doc={doc}
          step={s}
          no={i + 1}
          open={open === s.id}
          phases={phases.map((p) => ({ value: p, label: t(`phase.${p}`) }))}
          onOpen={() => setOpen(open === s.id ? null : s.id)}
          onChange={(step) => set({ steps: swap(doc.steps, i, step) })}
          onDrop={() => set({ steps: doc.steps.filter((_, n) => n !== i) })}
          onAdd={() => addStep(i)}
          move={<Move list={doc.steps} i={i} onMove={(steps) => set({ steps })} what={s.act} />}
        />
      ))}
      {doc.steps.length === 0 && <Button onClick={() => addStep(-1)}>{t("methods.addStep")}</Button>}
    </section>
  );
}
