import { Input, InputNumber } from "antd";

export function Word(props: { label: string; value: string; error?: string; onChange: (v: string) => void }) {
  return (
    <label>
      <div className="faint">{props.label}</div>
      <Input
        className="w-l"
        maxLength={200}
        status={props.error ? "error" : undefined}
        value={props.value}
        onChange={(e) => props.onChange(e.target.value)}
      />
      {props.error && <div className="tone-bad">{props.error}</div>}
    </label>
  );
}

/** A figure to read; to change it where it may be changed. */
export function Figure(props: {
  label: string;
  value: number | null | undefined;
  onChange?: (v: number | null) => void;
  step?: number;
  max?: number;
  empty?: string;
}) {
  if (!props.onChange) return <>{props.value ?? ""}</>;
  return (
    <InputNumber
      aria-label={props.label}
      className="w-xs"
      min={0}
      max={props.max}
      placeholder={props.empty}
      step={props.step ?? 0.05}
      value={props.value ?? null}
      onChange={props.onChange}
    />
  );
}
