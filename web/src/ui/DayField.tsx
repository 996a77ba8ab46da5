import { Input, type InputProps } from "antd";
import { useEffect, useState } from "react";

/** From here a year is meant; what is typed before its last digit is not a day yet. */
const FIRST = "2000-01-01";

/**
 * A day, by the device's own way to choose one: with gloves on a phone as with keys. Says a day (yyyy-mm-dd) or null, and never takes back
 * what is half typed.
 */
export function DayField(
  props: Omit<InputProps, "value" | "onChange" | "type"> & {
    value?: string | null;
    onChange?: (day: string | null) => void;
  },
) {
  const { value, onChange, className = "w-m", ...rest } = props;
  const [typed, setTyped] = useState(value ?? "");
  useEffect(() => setTyped(value ?? ""), [value]);
  return (
    <Input
      {...rest}
      className={className}
      type="date"
      min={FIRST}
      max="2100-12-31"
      value={typed}
      onChange={(e) => {
        const day = e.target.value;
        setTyped(day);
        if (day >= FIRST) onChange?.(day);
        else if (day === "" && e.target.validity.valid) onChange?.(null);
      }}
    />
  );
}
