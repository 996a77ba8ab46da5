import { Alert, App, Button, type FormInstance, Input, Select } from "antd";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { ApiError, NoSignal } from "../api/client";
import { serverAway } from "../api/send";
import { type Room, roomy } from "./room";
import { strandPaint } from "./theme";

type Asked<T> = { data?: T; isPending: boolean; error: unknown; refetch: () => unknown };

/** Waits for an answer of the server; loading and failing look the same everywhere. */
export function Await<T>({ of, children }: { of: Asked<T>; children: (data: T) => ReactNode }) {
  const { t } = useTranslation();
  if (of.data !== undefined) return children(of.data);
  if (of.error) {
    return (
      <Alert
        type={of.error instanceof NoSignal ? "warning" : "error"}
        showIcon
        title={t(of.error instanceof ApiError ? "app.refusedTitle" : "app.faultTitle")}
        description={whyNot(of.error, t)}
        action={<Button onClick={() => of.refetch()}>{t("app.retry")}</Button>}
      />
    );
  }
  return of.isPending ? <Loading /> : null;
}

/** No signal, the server away, and a refusal are three things; each is said as what it is. */
const whyNot = (error: unknown, t: (key: string) => string) =>
  error instanceof NoSignal
    ? t(serverAway.now() ? "app.serverAwayText" : "app.noSignalText")
    : error instanceof Error
      ? error.message
      : String(error);

/** Where an answer is to come, its shape stands in outline. */
export function Loading() {
  const { t } = useTranslation();
  return (
    <div role="status" className="skeleton">
      <i />
      <i />
      <i />
      <span className="unseen">{t("app.loading")}</span>
    </div>
  );
}

/** What may be wider than the screen scrolls in a box of its own, which the keyboard reaches, too. */
export function Sideways({ children, card }: { children: ReactNode; card?: boolean }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a box that scrolls has to be reached to be scrolled
    <div className={card ? "card scroll" : "scroll"} tabIndex={0}>
      {children}
    </div>
  );
}

/** A long name takes two lines of a cell, and is whole under the pointer. */
const clipped = (cell: ReactNode) =>
  typeof cell === "string" && cell.length > 24 ? (
    <span className="clip" title={cell}>
      {cell}
    </span>
  ) : (
    cell
  );

/** A plain table. The component library's own injects styles that the content policy refuses. */
export function Grid<T>(props: {
  rows: T[];
  rowKey: (row: T) => string;
  columns: { title: string; render: (row: T) => ReactNode; right?: boolean }[];
  empty?: string;
}) {
  if (props.rows.length === 0 && props.empty) return <Nothing text={props.empty} />;
  const align = (c: { right?: boolean }) => (c.right ? "right" : undefined);
  return (
    <Sideways>
      <table className="grid">
        <thead>
          <tr>
            {props.columns.map((c) => (
              <th key={c.title} className={align(c)}>
                {c.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {props.rows.map((row) => (
            <tr key={props.rowKey(row)}>
              {props.columns.map((c) => (
                <td key={c.title} className={align(c)}>
                  {clipped(c.render(row))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Sideways>
  );
}

export function Nothing({ text, children }: { text: string; children?: ReactNode }) {
  return (
    <div className="nothing">
      {/* Three strands that nobody has begun. */}
      <svg width="72" height="48" viewBox="0 0 72 48" aria-hidden="true">
        <path d="M4 6h64" />
        <path d="M20 6v14q0 6 5 8M36 6v34M52 6v20q0 6-5 9" strokeDasharray="3 4" />
      </svg>
      <p>{text}</p>
      {children}
    </div>
  );
}

/** Words to find a list's rows by. */
export function Find(props: { label: string; value: string; onChange: (typed: string) => void }) {
  return (
    <Input.Search
      className="find"
      aria-label={props.label}
      placeholder={props.label}
      allowClear
      value={props.value}
      onChange={(e) => props.onChange(e.target.value)}
    />
  );
}

/** Shows what went wrong: beside the field where the form has one, otherwise as a message. */
export function useFault() {
  const { message } = App.useApp();
  const { t } = useTranslation();
  return (error: unknown, form?: FormInstance) => {
    if (error instanceof ApiError) {
      // The fields that this very form shows, filled or not.
      const known = form ? form.getFieldsError().map((f) => f.name.join(".")) : [];
      const fields = form ? error.problem.refusals.filter((r) => known.includes(r.field)) : [];
      form?.setFields(fields.map((r) => ({ name: r.field, errors: [r.message] })));
      const rest = error.problem.refusals.filter((r) => !fields.includes(r));
      if (fields.length === 0 || rest.length > 0) {
        message.error(rest.length > 0 ? rest.map((r) => r.message).join(" ") : error.message);
      }
    } else {
      message.error(whyNot(error, t));
    }
  };
}

/** Choices of a closed list, named by the catalogue. */
export function useChoices() {
  const { t } = useTranslation();
  return (group: string, values: readonly string[]) =>
    values.map((value) => ({ value, label: group ? t(`${group}.${value}`) : value }));
}

export function Pick(props: {
  label: string;
  value?: string;
  options: { value: string; label: string }[];
  onChange: (v: string | undefined) => void;
  allowClear?: boolean;
  room?: Room;
}) {
  const { t } = useTranslation();
  return (
    <div className="pick">
      <div className="faint">{props.label}</div>
      <Select
        aria-label={props.label}
        className={roomy(props.room ?? "m")}
        value={props.value}
        options={props.options}
        onChange={(v) => props.onChange(v)}
        allowClear={props.allowClear}
        placeholder={t(props.allowClear ? "app.any" : "app.choose")}
        showSearch={props.options.length > 8 ? { optionFilterProp: "label" } : false}
      />
    </div>
  );
}

export function StrandName({
  strand,
}: {
  strand: { number: number; colour: string; tracer: boolean; unit: number; unitColour: string; unitTracer: boolean };
}) {
  const { t } = useTranslation();
  return (
    <span>
      <span className="swatch" style={{ background: strandPaint[strand.colour] }} aria-hidden="true" />{" "}
      {t("bench.strand", { number: strand.number })} · {t(`colour.${strand.colour}`)}
      {strand.tracer ? ` ${t("bench.tracer")}` : ""}
      {strand.unit > 1
        ? `, ${t("bench.unit", { unit: strand.unit, colour: t(`colour.${strand.unitColour}`) })}${strand.unitTracer ? ` ${t("bench.tracer")}` : ""}`
        : ""}
    </span>
  );
}

export const choices = {
  form: ["SC", "LC", "ST", "FC", "MPO", "hardened-drop"],
  polish: ["PC", "UPC", "APC"],
  mode: ["multimode", "single-mode"],
  method: [
    "heat-cured-epoxy",
    "cold-cure",
    "hot-melt",
    "cam-locked",
    "wedge-locked",
    "plunger-locked",
    "hardened-drop",
    "splice-on",
    "pigtail-splice",
  ],
  fiberClass: ["OM1", "OM2", "OM3", "OM4", "OM5", "OS1a", "OS2"],
  construction: [
    "coated-250",
    "tight-buffer-900",
    "fan-out-900",
    "cordage-1.6",
    "cordage-2.0",
    "cordage-3.0",
    "ribbon-12",
    "drop",
  ],
  into: ["finished-connector", "existing-connector", "other"],
  status: ["planned", "at-bench", "to-look", "to-measure", "to-accept", "needs-decision", "to-remake", "accepted"],
  verdict: ["none", "pass", "marginal", "marginal-over", "fail"],
  reason: [
    "contamination",
    "scratched",
    "core-chipped-or-cracked",
    "edge-chip",
    "undercut-or-over-polished",
    "adhesive-on-ferrule",
    "fiber-broken-in-ferrule",
    "fiber-broke-in-stripping",
    "cleave-angle-or-chip",
    "cleave-length",
    "not-seated-or-gap",
    "reseated-after-contact",
    "wrong-fiber-class",
    "wrong-polish-or-form",
    "boot-or-sleeve-forgotten",
    "parts-threaded-in-wrong-order",
    "adhesive-set-early",
    "adhesive-not-set",
    "splice-defect",
    "sleeve-defect",
    "crimp-defect-or-strain-relief",
    "bend-or-pinch",
    "polarity-or-port-swapped",
    "damaged-after-acceptance",
    "bad-reference",
    "other",
  ],
} as const;
