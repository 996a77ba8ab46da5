import { Button, InputNumber, Segmented } from "antd";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { dB, siteTime } from "../ui/settings";
import {
  type Reference,
  sourceOnMinutes,
  useReferenceState,
  withCheck,
  withEnd,
  withLevel,
  withShown,
  withSourceOn,
  zeroed,
} from "./reference";

/** What readings stand on: whether the meter shows power or loss, when and where it was set on how warm a source, what the cords lose, and that it is over when the light went off. */
export function ReferenceSet(props: {
  reference: Reference;
  wavelengths: number[];
  onChange: (r: Reference) => void;
  /** Where it is measured: a reference that was set elsewhere is read again here. */
  at: Pick<S["EndView"], "placeId" | "mode">;
  /** False where each wavelength has its reference beside its own reading. */
  fields?: boolean;
  shows?: "dbm" | "db";
}) {
  const { t } = useTranslation();
  const { reference, wavelengths, onChange, at } = props;
  const shows = reference.shows ?? props.shows ?? "dbm";
  const { old, levelOf, mostCordDb, cordsWorn, warmUpMinutes = 0 } = useReferenceState(reference, wavelengths, at.mode);
  const since = wavelengths.map((nm) => reference.levels[nm]?.at).find((set) => set);
  const said = { placeId: at.placeId, warmUpMinutes };
  const onFor = useMinutes(reference);
  const warming = !since && onFor !== undefined && onFor < warmUpMinutes;
  const elsewhere = since && reference.placeId && reference.placeId !== at.placeId;
  return (
    <section className="reference" aria-label={t("reference.title")}>
      <div className="row middle">
        <Segmented
          aria-label={t("reference.shows")}
          options={[
            { value: "dbm", label: "dBm" },
            { value: "db", label: "dB" },
          ]}
          value={shows}
          onChange={(v) => onChange(withShown({ ...reference, shows }, v as "dbm" | "db"))}
        />
        {shows === "db" ? (
          <Button onClick={() => onChange(zeroed({ ...reference, shows }, wavelengths, said))}>
            {t(since ? "reference.zeroAgain" : "reference.zeroNow")}
          </Button>
        ) : (
          props.fields !== false &&
          wavelengths.map((nm) => (
            <label key={nm} className="small">
              {t("bench.referenceAt", { nm })}
              <InputNumber
                aria-label={t("bench.referenceAt", { nm })}
                value={levelOf(nm)}
                step={0.01}
                onChange={(v) => onChange(withLevel({ ...reference, shows }, nm, v, said))}
                className="w-xs"
              />
            </label>
          ))
        )}
        {since && (
          <span className="faint">
            {t(shows === "db" ? "reference.zeroedAt" : "reference.setAt", { time: siteTime(since) })}
          </span>
        )}
        <label className="small">
          {t("reference.cordLoss")}
          <InputNumber
            aria-label={t("reference.cordLoss")}
            className="w-xs"
            min={0}
            max={20}
            step={0.01}
            placeholder={mostCordDb === undefined ? undefined : t("reference.atMost", { db: dB(mostCordDb) })}
            value={reference.cordLossDb ?? null}
            onChange={(v) => onChange({ ...reference, shows, cordLossDb: v })}
          />
        </label>
      </div>
      {!since && (
        <div className="row middle">
          <span className={warming ? "tone-doubtful" : "faint"} role="status">
            {warming
              ? t("reference.warming", { on: Math.floor(onFor ?? 0), more: Math.ceil(warmUpMinutes - (onFor ?? 0)) })
              : t("reference.warmSaid", { minutes: warmUpMinutes })}
          </span>
          <Button size="large" onClick={() => onChange(withSourceOn({ ...reference, shows }))}>
            {t("reference.sourceOn")}
          </Button>
        </div>
      )}
      {since && (
        <div className="row middle">
          <Button size="large" onClick={() => onChange(withEnd(reference, "source-off"))}>
            {t("reference.sourceOff")}
          </Button>
          <Button size="large" onClick={() => onChange(withEnd(reference, "cord-out"))}>
            {t("reference.cordOut")}
          </Button>
        </div>
      )}
      {since && (reference.sourceOnMinutes ?? warmUpMinutes) < warmUpMinutes && (
        <p className="tone-doubtful">
          {t("reference.cold", { minutes: Math.floor(reference.sourceOnMinutes ?? 0), wanted: warmUpMinutes })}
        </p>
      )}
      {cordsWorn && (
        <p className="tone-bad" role="alert">
          {t("reference.cordsWorn", { db: dB(mostCordDb ?? 0) })}
        </p>
      )}
      {elsewhere && (
        <div className="row middle">
          <span className="tone-doubtful">{t("reference.elsewhere")}</span>
          {props.fields !== false &&
            wavelengths.map((nm) => (
              <label key={nm} className="small">
                {t("reference.again", { nm, unit: shows === "db" ? "dB" : "dBm" })}
                <InputNumber
                  aria-label={t("reference.again", { nm, unit: shows === "db" ? "dB" : "dBm" })}
                  className="w-xs"
                  step={0.01}
                  changeOnWheel={false}
                  onPressEnter={(e) => e.currentTarget.blur()}
                  onBlur={(e) => {
                    const shown = Number.parseFloat(e.target.value.replace(",", "."));
                    if (Number.isFinite(shown)) onChange(withCheck(reference, nm, shown, said));
                  }}
                />
              </label>
            ))}
        </div>
      )}
      {reference.ended && (
        <p className="tone-doubtful">
          {t(`reference.ended-${reference.ended.why}`, { time: siteTime(reference.ended.at) })}
        </p>
      )}
      {old.length > 0 && <p className="tone-doubtful">{t("measure.oldReference", { nm: old.join(", ") })}</p>}
    </section>
  );
}

/** How long the source has been on, as time goes by. */
function useMinutes(reference: Reference) {
  const [, tick] = useState(0);
  const on = reference.sourceOnAt !== undefined;
  useEffect(() => {
    if (!on) return;
    const timer = setInterval(() => tick((n) => n + 1), 15_000);
    return () => clearInterval(timer);
  }, [on]);
  return sourceOnMinutes(reference);
}
