import { InputNumber } from "antd";

/** A number with its name above it. */
export function Field(props: {
  label: string;
  value: number | null;
  onChange: (v: number | null) => void;
  step?: number;
}) {
  return (
    <label>
      <div className="faint">{props.label}</div>
      <InputNumber className="w-s" step={props.step ?? 1} value={props.value} onChange={props.onChange} />
    </label>
  );
}
