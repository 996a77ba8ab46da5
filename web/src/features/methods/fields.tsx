import { Checkbox, Input, InputNumber, Select } from "antd";
import { createContext, type ReactNode, useContext } from "react";
import type { S } from "../../api/client";
import { type Room, roomy } from "../../ui/room";

/** The validator's complaints, so that each field can show its own. */
export const Complaints = createContext<S["Refusal"][]>([]);

const own = (faults: S["Refusal"][], at: string) => faults.filter((f) => f.field === at);
export const within = (faults: S["Refusal"][], at: string) =>
  faults.filter((f) => f.field === at || f.field.startsWith(`${at}.`) || f.field.startsWith(`${at}[`));

/** A label, a field and, beside it, what is wrong with it. */
function Field({ label, at, children }: { label: string; at: string; children: ReactNode }) {
  const faults = own(useContext(Complaints), at);
  return (
    <label className={faults.length > 0 ? "edit wrong" : "edit"}>
      <span>{label}</span>
      {children}
      {faults.map((f) => (
        <em key={f.code + f.message} className="tone-bad">
          {f.message}
        </em>
      ))}
    </label>
  );
}

type Of<T> = { label: string; at: string; value: T; onChange: (value: T) => void; room?: Room };

export const Text = ({ label, at, value, onChange, room = "xl" }: Of<string>) => (
  <Field label={label} at={at}>
    <Input
      aria-label={label}
      value={value}
      maxLength={400}
      className={roomy(room)}
      onChange={(e) => onChange(e.target.value)}
    />
  </Field>
);

export const Num = ({ label, at, value, onChange, room = "xs" }: Of<number | null | undefined>) => (
  <Field label={label} at={at}>
    <InputNumber aria-label={label} value={value ?? null} className={roomy(room)} onChange={onChange} />
  </Field>
);

export const Flag = ({ label, value, onChange }: { label: string; value: boolean; onChange: (v: boolean) => void }) => (
  <Checkbox checked={value} onChange={(e) => onChange(e.target.checked)}>
    {label}
  </Checkbox>
);

type Option = { value: string; label: string };

/** A longer list is searched by typing. */
const MANY = 8;

export const Choose = (props: Of<string | null | undefined> & { options: Option[]; clear?: boolean }) => (
  <Field label={props.label} at={props.at}>
    <Select
      aria-label={props.label}
      value={props.value ?? undefined}
      options={props.options}
      showSearch={props.options.length > MANY ? { optionFilterProp: "label" } : undefined}
      allowClear={props.clear}
      className={roomy(props.room ?? "m")}
      onChange={(v) => props.onChange(v ?? null)}
    />
  </Field>
);

export const Many = (props: Of<string[]> & { options: Option[] }) => (
  <Field label={props.label} at={props.at}>
    <Select
      mode="multiple"
      aria-label={props.label}
      value={props.value}
      options={props.options}
      className={roomy(props.room ?? "l")}
      onChange={props.onChange}
    />
  </Field>
);

/** Complaints about a block as a whole. */
export function BlockFaults({ at }: { at: string }) {
  const faults = own(useContext(Complaints), at);
  return faults.map((f) => (
    <p key={f.code + f.message} className="tone-bad">
      {f.message}
    </p>
  ));
}
