import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { useProcedures } from "../../api/hooks";
import { Await } from "../../ui/Parts";

export default function Methods() {
  const { t } = useTranslation();
  const list = useProcedures();
  return (
    <>
      <h1>{t("methods.title")}</h1>
      <p className="faint">{t("methods.typicalNote")}</p>
      <Await of={list}>
        {(items) => (
          <div className="cols">
            {items.map((p) => (
              <section className="card" key={p.id}>
                <h2>
                  <Link to={`/methods/${p.id}/${p.version}`}>{p.title}</Link>
                </h2>
                <p>
                  {t(`method.${p.method}`)} · {t("methods.version", { v: p.version })} · {p.steps} {t("methods.steps")}
                </p>
                <p className="faint">
                  {p.fits.forms.map((f) => t(`form.${f}`)).join(", ")} · {p.fits.polishes.join(", ")} ·{" "}
                  {p.fits.constructions.map((c) => t(`construction.${c}`)).join(", ")} · {p.fits.classes.join(", ")}
                </p>
                <p className="faint">{p.source}</p>
              </section>
            ))}
          </div>
        )}
      </Await>
    </>
  );
}
