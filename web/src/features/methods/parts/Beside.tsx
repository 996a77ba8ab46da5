import { Alert } from "antd";
import { useMemo } from "react";
import { useTranslation } from "react-i18next";
import { PrepDrawing } from "../../../domain/PrepDrawing";
import { Sideways } from "../../../ui/Parts";
import { within } from "../fields";
import { StateMap } from "../StateMap";
import type { Draft } from "../useDraft";

/** The validator's complaints, the prep card and the map, as they change. */
export function Beside({ draft, onStep }: { draft: Draft; onStep: (id: string) => void }) {
  const { t } = useTranslation();
  const { doc, check } = draft;
  const faulty = useMemo(
    () => new Set(doc.steps.filter((s) => within(check.faults, `steps[${s.id}]`).length > 0).map((s) => s.id)),
    [doc.steps, check.faults],
  );
  const go = (field: string) => {
    const step = /steps\[([^\]]+)\]/.exec(field)?.[1];
    if (step) onStep(step);
  };
  return (
    <aside className="beside" aria-label={t("methods.beside")}>
      {check.faults.length > 0 ? (
        <Alert
          type="error"
          showIcon
          title={t("methods.faults", { count: check.faults.length })}
          description={
            <ul className="faults">
              {check.faults.map((f) => (
                <li key={f.field + f.code + f.message}>
                  <button type="button" className="link" onClick={() => go(f.field)}>
                    {f.field}
                  </button>{" "}
                  {f.message}
                </li>
              ))}
            </ul>
          }
        />
      ) : (
        <p className="tone-good whole">{t("methods.whole")}</p>
      )}
      <Sideways card>
        <h2>{t("prep.title")}</h2>
        {check.prep ? <PrepDrawing prep={check.prep} fit /> : <p className="faint">{t("methods.noPrep")}</p>}
      </Sideways>
      <section className="card">
        <h2>{t("methods.map")}</h2>
        <StateMap document={doc} faulty={faulty} />
        <p className="faint">{t("methods.mapText")}</p>
      </section>
    </aside>
  );
}
