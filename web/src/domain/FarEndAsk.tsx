import { Input, Radio } from "antd";
import { useTranslation } from "react-i18next";
import type { S } from "../api/client";
import { choices, useChoices } from "../ui/Parts";

export type FarEnd = { into: NonNullable<S["MeasuredInto"]> | null; note: string };

export const farUnsaid: FarEnd = { into: null, note: "" };

/** What an event says of the far end; nothing where nobody said it, or where the words are missing. */
export const ofFarEnd = (f: FarEnd) =>
  f.into === null || (f.into === "other" && !f.note.trim())
    ? { into: null, note: null }
    : { into: f.into, note: f.note.trim() || null };

/** Asks what a link is measured into, where the far end's own record does not say that its connector is made. One tap says it. */
export function FarEndAsk(props: {
  value: FarEnd;
  onChange: (f: FarEnd) => void;
  /** Where the light comes out, as far as that is planned; ends may share one. */
  far?: (string | null)[];
  /** Why it is asked stands above it already. */
  asked?: boolean;
}) {
  const { t } = useTranslation();
  const options = useChoices();
  const { value, onChange } = props;
  const planned = [...new Set((props.far ?? []).filter((f) => f !== null))];
  const far = planned.length > 0 ? planned.join(", ") : t("farEnd.other");
  return (
    <fieldset className="farask">
      <legend>{t("farEnd.ask")}</legend>
      <Radio.Group
        value={value.into}
        options={options("into", choices.into)}
        onChange={(e) => onChange({ ...value, into: e.target.value })}
      />
      {value.into === "other" && (
        <label>
          <div className="faint">{t("farEnd.what")}</div>
          <Input maxLength={200} value={value.note} onChange={(e) => onChange({ ...value, note: e.target.value })} />
        </label>
      )}
      {!value.into && !props.asked && <p className="faint">{t("farEnd.why", { far })}</p>}
    </fieldset>
  );
}
