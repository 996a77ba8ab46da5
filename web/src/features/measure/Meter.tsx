import { Button } from "antd";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";
import type { S } from "../../api/client";
import { BendHint } from "../../domain/BendHint";
import { DecisionCard } from "../../domain/DecisionCard";
import { FarEndAsk } from "../../domain/FarEndAsk";
import { LossText } from "../../domain/LossText";
import { ReferenceSet } from "../../domain/ReferenceSet";
import { withCheck, withLevel } from "../../domain/reference";
import { StatusMark } from "../../domain/Verdict";
import { Nothing, StrandName } from "../../ui/Parts";
import { reasonOf } from "../../ui/reason";
import { dB } from "../../ui/settings";
import { AcceptBar } from "./parts/AcceptBar";
import { Carries } from "./parts/Carries";
import { FarUnknown } from "./parts/FarUnknown";
import { Field } from "./parts/Field";
import { ReferenceBar } from "./parts/ReferenceBar";
import { WhatIf } from "./parts/WhatIf";
import { useMeter } from "./useMeter";

/** One end with source and meter. */
export function Meter({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const meter = useMeter(end);
  const { attempt, farAttempt } = meter;
  if (!attempt)
    return (
      <>
        <Which end={end} />
        <Nothing text={end.state.status === "accepted" ? t("bench.accepted") : t("measure.none")} />
      </>
    );
  return (
    <>
      <Which end={end} attempt={attempt} />
      {attempt.farEndUnknown && <FarUnknown end={end} attempt={attempt} />}
      <ReferenceBar
        reference={meter.reference}
        onChange={meter.keep}
        direction={meter.direction}
        onTurn={meter.setDirection}
      />
      <section className="card">
        <ReferenceSet
          at={end}
          reference={meter.reference}
          wavelengths={end.testWavelengthsNm}
          onChange={meter.keep}
          fields={false}
        />
      </section>
      <div className="cols">
        {end.testWavelengthsNm.map((nm) => (
          <Wavelength key={nm} nm={nm} meter={meter} placeId={end.placeId} />
        ))}
      </div>
      <BendHint
        wavelengths={end.testWavelengthsNm}
        reference={meter.reference}
        referenceDbm={(nm) => (meter.reference.shows === "db" ? 0 : meter.level(nm))}
        shown={(nm) => meter.reading[nm]}
      />
      {farAttempt && <p className="faint">{t("measure.farToo", { far: end.farAddress })}</p>}
      {!attempt.farEndUnknown && !end.farEndMade && (
        <FarEndAsk value={meter.farSaid} onChange={meter.sayFar} far={[end.farAddress]} />
      )}
      <AcceptBar end={end} attempt={attempt}>
        <Button type="primary" size="large" disabled={!meter.canSave} onClick={meter.save}>
          {t("measure.save")}
        </Button>
      </AcceptBar>
      <div className="cols above">
        <Carries end={end} />
        <WhatIf end={end} />
      </div>
      {end.state.status === "needs-decision" && (
        <div className="above">
          <DecisionCard key={`decide ${attempt.runId}`} end={end} />
        </div>
      )}
    </>
  );
}

function Which({ end, attempt }: { end: S["EndView"]; attempt?: S["AttemptState"] }) {
  const { t } = useTranslation();
  return (
    <p className="row">
      <b>{end.address}</b>
      <StrandName strand={end.strand} />
      <span>
        {t("measure.link", {
          fiber: end.fiberClass,
          length: end.lengthM,
          connections: t("measure.connectionsOf", { count: end.connections }),
          splices: t("measure.splicesOf", { count: end.splices }),
        })}
      </span>
      <StatusMark
        status={end.state.status ?? "planned"}
        verdict={end.state.verdict ?? "none"}
        farEndUnknown={attempt?.farEndUnknown}
      />
      <Link to={`/handover/${end.endId}`}>{t("bench.toRecord")}</Link>
    </p>
  );
}

/** Reference, reading and check at one wavelength, with what comes of them. */
function Wavelength(props: { nm: number; meter: ReturnType<typeof useMeter>; placeId: string }) {
  const { nm, meter } = props;
  const { t } = useTranslation();
  const state = meter.level(nm) === null ? undefined : meter.stateOf(nm);
  const judged = meter.judgedAt(nm);
  const refused = reasonOf(judged?.error);
  const { reference, keep } = meter;
  const said = { placeId: props.placeId, warmUpMinutes: meter.warmUpMinutes };
  const zero = reference.shows === "db";
  return (
    <section className="card">
      <h2>{t("measure.wavelength", { nm })}</h2>
      <div className="row">
        {!zero && (
          <Field
            label={t("measure.reference")}
            step={0.01}
            value={meter.level(nm)}
            onChange={(v) => keep(withLevel(reference, nm, v, said))}
          />
        )}
        <Field
          label={t(zero ? "measure.readingDb" : "measure.reading")}
          step={0.01}
          value={meter.reading[nm] ?? null}
          onChange={(v) => meter.read(nm, v)}
        />
        <Field
          label={t(zero ? "measure.checkDb" : "measure.check")}
          step={0.01}
          value={reference.levels[nm]?.check ?? null}
          onChange={(v) => keep(withCheck(reference, nm, v, said))}
        />
      </div>
      {state && (
        <p className={state.state === "good" ? "faint" : "tone-bad"}>
          {t(`measure.${state.state}`, {
            nm,
            hours: Math.max(0, state.ageHours).toFixed(1),
            drift: dB(state.driftDb ?? 0),
          })}
        </p>
      )}
      {refused ? (
        <p className="tone-bad">{refused}</p>
      ) : judged?.data && typeof meter.reading[nm] === "number" ? (
        <LossText judgement={judged.data} />
      ) : (
        <p className="faint">{t(zero ? "measure.needDb" : "measure.need")}</p>
      )}
    </section>
  );
}
