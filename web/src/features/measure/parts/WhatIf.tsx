import { Select, Switch } from "antd";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { api, type S } from "../../../api/client";
import { choices } from "../../../ui/Parts";
import { reasonOf } from "../../../ui/reason";
import { dB } from "../../../ui/settings";
import { Field } from "./Field";

/** What a fault of one joint would cost, to compare with what the meter shows. */
export function WhatIf({ end }: { end: S["EndView"] }) {
  const { t } = useTranslation();
  const [joint, setJoint] = useState({ offsetUm: 1, tiltDeg: 0, airGap: false, to: end.fiberClass });
  const body = { from: end.fiberClass, wavelengthNm: end.testWavelengthsNm[0] ?? 850, ...joint };
  const cost = api.useQuery(
    "post",
    "/api/calc/joint",
    { body },
    { retry: false, placeholderData: (before: S["JointBudget"] | undefined) => before },
  );
  const refused = reasonOf(cost.error);
  return (
    <section className="card">
      <h2>{t("measure.whatIf")}</h2>
      <div className="row">
        <Field
          label={t("measure.offset")}
          step={0.5}
          value={joint.offsetUm}
          onChange={(v) => setJoint({ ...joint, offsetUm: v ?? 0 })}
        />
        <Field
          label={t("measure.tilt")}
          step={0.1}
          value={joint.tiltDeg}
          onChange={(v) => setJoint({ ...joint, tiltDeg: v ?? 0 })}
        />
        <div>
          <div className="faint">{t("measure.into")}</div>
          <Select
            aria-label={t("measure.into")}
            className="w-xs"
            value={joint.to}
            options={choices.fiberClass.map((c) => ({ value: c, label: c }))}
            onChange={(to) => setJoint({ ...joint, to })}
          />
        </div>
        <label className="row">
          <Switch
            aria-label={t("measure.gap")}
            checked={joint.airGap}
            onChange={(airGap) => setJoint({ ...joint, airGap })}
          />{" "}
          {t("measure.gap")}
        </label>
      </div>
      {refused ? (
        <p className="tone-bad">{refused}</p>
      ) : (
        cost.data && (
          <>
            <p>
              {t("measure.jointTotal", {
                total: dB(cost.data.totalDb),
                offset: dB(cost.data.offsetDb),
                tilt: dB(cost.data.tiltDb),
                gap: dB(cost.data.gapDb),
                mismatch: dB(cost.data.mismatchDb),
                backward: dB(cost.data.backwardMismatchDb),
              })}
            </p>
            {cost.data.note && <p className="faint">{t(`measure.${cost.data.note}`)}</p>}
          </>
        )
      )}
    </section>
  );
}
