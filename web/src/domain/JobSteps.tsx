import { useTranslation } from "react-i18next";
import type { S } from "../api/client";

const STEPS = [
  "planned",
  "atBench",
  "toLook",
  "toMeasure",
  "toAccept",
  "needsDecision",
  "toRemake",
  "accepted",
] as const;

/** How many of a job's ends have come how far: numbers that add up to all of them. */
export function JobSteps({ job }: { job: S["Job"] }) {
  const { t } = useTranslation();
  return (
    <>
      <div className="bar" aria-hidden="true">
        <i style={{ width: `${job.ends ? (100 * job.accepted) / job.ends : 0}%` }} />
      </div>
      <p className="steps">
        {STEPS.filter((s) => (job[s] ?? 0) > 0).map((s) => (
          <span key={s}>
            <b>{job[s]}</b> {t(`today.step.${s}`)}
          </span>
        ))}
        <span className="faint">{t("today.adds", { ends: job.ends })}</span>
      </p>
    </>
  );
}
