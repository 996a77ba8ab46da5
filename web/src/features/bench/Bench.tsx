import { useTranslation } from "react-i18next";
import { useNavigate, useParams } from "react-router";
import { useJob, useJobs, useLoom } from "../../api/hooks";
import { Loom } from "../../ui/Loom";
import { Await, Nothing, Pick } from "../../ui/Parts";
import { HandCard } from "./HandCard";

/** The panel's loom on the left, the one next act on the right. */
export default function Bench() {
  const { t } = useTranslation();
  const { jobId, panelId, endId } = useParams();
  const jobs = useJobs();
  const job = useJob(jobId ?? jobs.data?.[0]?.jobId);
  const loom = useLoom(job.data?.job.jobId);
  const navigate = useNavigate();
  const at = job.data?.job.jobId;
  const withEnds = (job.data?.panels ?? []).filter((p) => loom.data?.ends.some((e) => e.panelId === p.panelId));
  const panel = withEnds.find((p) => p.panelId === panelId) ?? withEnds[0];
  const ends = (loom.data?.ends ?? []).filter((e) => e.panelId === panel?.panelId);
  const selected = ends.find((e) => e.endId === endId)?.endId;
  const go = (id: string) => navigate(`/bench/${at}/${panel?.panelId}/${id}`);
  const step = (by: number) => {
    const next = ends[ends.findIndex((e) => e.endId === selected) + by];
    if (next) go(next.endId);
  };
  return (
    <>
      <h1>{t("bench.title")}</h1>
      <div className="bench">
        <div>
          <div className="row" style={{ marginBottom: 12 }}>
            <Pick
              label={t("bench.chooseJob")}
              width={300}
              value={at}
              options={(jobs.data ?? []).map((j) => ({ value: j.jobId, label: `${j.customer} · ${j.site}` }))}
              onChange={(v) => navigate(`/bench/${v}`)}
            />
            <Pick
              label={t("bench.choosePanel")}
              width={220}
              value={panel?.panelId}
              options={withEnds.map((p) => {
                const s = job.data?.spaces.find((x) => x.spaceId === p.spaceId);
                return { value: p.panelId, label: `${s?.code}-${p.code} · ${s?.name}` };
              })}
              onChange={(v) => navigate(`/bench/${at}/${v}`)}
            />
          </div>
          <Await of={loom}>
            {(l) =>
              ends.length === 0 ? (
                <Nothing text={t("jobs.noEnds")} />
              ) : (
                <div className="card">
                  <Loom
                    ends={ends}
                    strands={l.strands}
                    selected={selected}
                    onSelect={go}
                    height={470}
                    label={t("bench.loomLabel")}
                  />
                </div>
              )
            }
          </Await>
        </div>
        {selected ? (
          <HandCard key={selected} endId={selected} onStep={step} />
        ) : (
          <p className="hand">{t("bench.pick")}</p>
        )}
      </div>
    </>
  );
}
