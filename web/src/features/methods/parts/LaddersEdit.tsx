import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { swap } from "../../../ui/rows";
import { LadderEdit } from "../LadderEdit";
import { fresh } from "../rows";
import type { Editing } from "../useDraft";

/** What to try, in order, when a check goes wrong. */
export function LaddersEdit({ doc, set }: Editing) {
  const { t } = useTranslation();
  return (
    <section className="card">
      <h2>{t("methods.ladder")}</h2>
      {doc.ladders.map((l, i) => (
        <LadderEdit
          key={l.id}
          doc={doc}
          ladder={l}
          onChange={(ladder) => set({ ladders: swap(doc.ladders, i, ladder) })}
          onDrop={() => set({ ladders: doc.ladders.filter((_, n) => n !== i) })}
        />
      ))}
      <Button
        onClick={() => {
          const id = fresh(
            "ladder",
            doc.ladders.map((l) => l.id),
          );
          set({
            ladders: [
              ...doc.ladders,
              {
                id,
                title: t("methods.newLadder"),
                rungs: [{ id: "end", act: t("methods.newAttempt"), minutes: 5, tries: 1, newAttempt: true }],
              },
            ],
          });
        }}
      >
        {t("methods.addLadder")}
      </Button>
    </section>
  );
}
