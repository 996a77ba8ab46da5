import { Button, InputNumber, Segmented } from "antd";
import { useTranslation } from "react-i18next";
import { siteTime } from "../ui/settings";
import { type Reference, useReferenceState, withEnd, withLevel, withShown, zeroed } from "./reference";

/** What readings stand on: whether the meter shows power or loss, when it was set, and that it is over when the light went off. */
export function ReferenceSet(props: {
  reference: Reference;
  wavelengths: number[];
  onChange: (r: Reference) => void;
  /** False where each wavelength has its reference beside its own reading. */
  fields?: boolean;
  shows?: "dbm" | "db";
}) {
  const { t } = useTranslation();
  const { reference, wavelengths, onChange } = props;
  const shows = reference.shows ?? props.shows ?? "dbm";
  const { old, levelOf } = useReferenceState(reference, wavelengths);
  const since = wavelengths.map((nm) => reference.levels[nm]?.at).find((at) => at);
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
          <Button onClick={() => onChange(zeroed({ ...reference, shows }, wavelengths))}>
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
                onChange={(v) => onChange(withLevel({ ...reference, shows }, nm, v))}
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
      </div>
      {since && (
        <div className="row middle">
          <Button size="small" onClick={() => onChange(withEnd(reference, "source-off"))}>
            {t("reference.sourceOff")}
          </Button>
          <Button size="small" onClick={() => onChange(withEnd(reference, "cord-out"))}>
            {t("reference.cordOut")}
          </Button>
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
