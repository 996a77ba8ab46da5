import { useTranslation } from "react-i18next";
import type { S } from "../../api/client";
import { Await } from "../../ui/Parts";
import { AskLaunch, TraceBar } from "./parts/TraceBar";
import { TraceEvents } from "./parts/TraceEvents";
import { TraceSide } from "./parts/TraceSide";
import { useTrace } from "./useTrace";

/** A trace taken from this end: its events, the line between two cursors, and this end's connector on it. */
export function TraceLook({ end, attempt }: { end: S["EndView"]; attempt?: S["AttemptState"] }) {
  const { t } = useTranslation();
  const trace = useTrace(end, attempt);
  return (
    <>
      <TraceBar trace={trace} />
      {trace.askLaunch && <AskLaunch trace={trace} />}
      {trace.id ? (
        <Await of={trace.view}>
          {(v) => (
            <div className="bench">
              <TraceEvents trace={trace} view={v} />
              <TraceSide end={end} attempt={attempt} trace={trace} view={v} />
            </div>
          )}
        </Await>
      ) : (
        <p className="faint">{t("trace.none")}</p>
      )}
    </>
  );
}
