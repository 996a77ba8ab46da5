import { Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { useAtHand, useFoundJobs, useJob } from "../api/hooks";
import { type Room, roomy } from "../ui/room";

const labelOf = (j: S["Job"]) => `${j.customer} · ${j.site}`;

/** Chooses a job among any number: the work at hand stands there, the rest is found by its name. */
export function JobPick(props: {
  label: string;
  value?: string;
  onChange: (jobId: string | undefined) => void;
  room?: Room;
  allowClear?: boolean;
  /** A choice before all jobs. */
  first?: { value: string; label: string };
}) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState("");
  const find = useDeferredValue(typed.trim());
  const atHand = useAtHand();
  const found = useFoundJobs(find);
  const chosen = useJob(props.value === props.first?.value ? undefined : props.value);
  const jobs = find ? (found.data ?? []) : (atHand.data ?? []);
  const all = chosen.data && !find && !jobs.some((j) => j.jobId === props.value) ? [chosen.data.job, ...jobs] : jobs;
  return (
    <div className="pick">
      <div className="faint">{props.label}</div>
      <Select
        aria-label={props.label}
        className={roomy(props.room ?? "l")}
        placeholder={t(props.allowClear ? "app.any" : "app.choose")}
        value={props.value}
        allowClear={props.allowClear}
        showSearch={{ filterOption: false, onSearch: setTyped }}
        notFoundContent={found.isFetching ? t("app.loading") : t("jobs.noneFound")}
        onSelect={() => setTyped("")}
        onChange={(v) => props.onChange(v)}
        options={[
          ...(props.first && !find ? [props.first] : []),
          ...all.map((j) => ({ value: j.jobId, label: labelOf(j) })),
        ]}
      />
    </div>
  );
}
