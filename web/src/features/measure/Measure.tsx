import { Segmented } from "antd";
import { useTranslation } from "react-i18next";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useEnd } from "../../api/hooks";
import { EndPick } from "../../domain/EndPick";
import { NextInQueue, Queue } from "../../domain/Queue";
import { Await } from "../../ui/Parts";
import { Meter } from "./Meter";
import { toMeasure } from "./model";
import { PanelEntry } from "./PanelEntry";
import { TraceLook } from "./TraceLook";

/** Reference and reading per wavelength; loss, limit, margin and verdict as they are typed. */
export default function Measure() {
  const { t } = useTranslation();
  const { endId } = useParams();
  const navigate = useNavigate();
  const end = useEnd(endId);
  const [asked, setHow] = useSearchParams({ how: "meter" });
  const how = asked.get("how") ?? "meter";
  return (
    <>
      <h1>{t("measure.title")}</h1>
      <div className="card row">
        <EndPick
          status={["to-measure", "to-accept", "needs-decision"]}
          label={t("measure.choose")}
          value={endId}
          onChange={(id) => navigate(`/measure/${id}`)}
        />
        <span className="caution faint">{t("caution.light")}</span>
      </div>
      {endId ? (
        <Await of={end}>
          {(e) => (
            <>
              <Segmented
                aria-label={t("measure.how")}
                className="below"
                options={(["meter", "panel", "trace"] as const).map((v) => ({
                  value: v,
                  label: t(v === "trace" ? "measure.traceTab" : `measure.${v}`),
                }))}
                value={how}
                onChange={(v) => setHow({ how: v }, { replace: true })}
              />
              {how === "meter" && <Meter key={e.endId} end={e} />}
              {how === "panel" && <PanelEntry key={e.placeId} end={e} />}
              {how === "trace" && <TraceLook key={e.endId} end={e} attempt={toMeasure(e)} />}
              {how !== "panel" && (
                <p className="noprint above">
                  <NextInQueue status={["to-measure"]} room="measure" at={e} />
                </p>
              )}
            </>
          )}
        </Await>
      ) : (
        <Queue status={["to-measure"]} room="measure" />
      )}
    </>
  );
}
