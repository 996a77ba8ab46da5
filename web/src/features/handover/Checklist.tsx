import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import { Await } from "../../ui/Parts";
import { useHandover } from "./api";

/** What is looked at before a job is handed over; none of it forbids to. */
export function Checklist({ jobId }: { jobId: string }) {
  const { t } = useTranslation();
  const handover = useHandover(jobId);
  return (
    <section className="card" aria-label={t("handOver.before")}>
      <h2>{t("handOver.before")}</h2>
      <Await of={handover}>
        {(h) => {
          const open = h.checks.filter((c) => c.count > 0);
          return (
            <>
              <p className={open.length === 0 ? "whole" : undefined}>
                {t(open.length === 0 ? "handOver.allWell" : "handOver.toLookAt", { count: open.length })}
              </p>
              <ul className="checks">
                {[...open, ...h.checks.filter((c) => c.count === 0)].map((c) => (
                  <li key={c.kind} className={c.count === 0 ? "faint" : undefined}>
                    <span aria-hidden="true" className={c.count === 0 ? "tone-good" : "tone-doubtful"}>
                      {c.count === 0 ? "✓" : "!"}
                    </span>{" "}
                    {t(`check.${c.kind}`, { count: c.count })}
                    {c.ends.length > 0 && (
                      <>
                        {" "}
                        {c.ends.slice(0, 12).map((e) => (
                          <Link key={e.endId} className="address" to={`/handover/${e.endId}`}>
                            {e.address}
                          </Link>
                        ))}
                        {c.count > 12 && (
                          <span className="faint"> {t("handOver.andMore", { count: c.count - 12 })}</span>
                        )}
                      </>
                    )}
                  </li>
                ))}
              </ul>
            </>
          );
        }}
      </Await>
    </section>
  );
}
