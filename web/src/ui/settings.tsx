import { createContext, type ReactNode, useContext, useEffect, useMemo, useState } from "react";
import { applyPalette, type Look } from "./theme";

export type Unit = "mm" | "in";

type Settings = { unit: Unit; setUnit: (u: Unit) => void; look: Look; setLook: (l: Look) => void };

const Context = createContext<Settings>(null as unknown as Settings);

/** What this person set on this device: unit of length, theme. */
export function SettingsProvider({ children }: { children: ReactNode }) {
  const [unit, setUnit] = useState<Unit>(() => (localStorage.getItem("rhabdon.unit") === "in" ? "in" : "mm"));
  const [look, setLook] = useState<Look>(() => (localStorage.getItem("rhabdon.look") === "dark" ? "dark" : "light"));
  useEffect(() => localStorage.setItem("rhabdon.unit", unit), [unit]);
  useEffect(() => {
    localStorage.setItem("rhabdon.look", look);
    applyPalette(look);
  }, [look]);
  const value = useMemo(() => ({ unit, setUnit, look, setLook }), [unit, look]);
  return <Context value={value}>{children}</Context>;
}

export const useSettings = () => useContext(Context);

/** A bench length in the chosen unit. 1 in = 25.4 mm exactly. */
export function formatLength(mm: number, unit: Unit, withUnit = true) {
  const text = unit === "mm" ? String(Math.round(mm * 100) / 100) : (mm / 25.4).toFixed(3).replace(/0$/, "");
  return withUnit ? `${text} ${unit}` : text;
}

export function useLength() {
  const { unit } = useSettings();
  return (mm: number, withUnit = true) => formatLength(mm, unit, withUnit);
}

/** A procedure's words, with lengths such as `{10 in}` or `{254 mm}` in the chosen unit. */
export const formatWords = (text: string, unit: Unit) =>
  text.replace(/\{([\d.]+) (mm|in)\}/g, (_, n, u) => formatLength(u === "in" ? Number(n) * 25.4 : Number(n), unit));

export function useWords() {
  const { unit } = useSettings();
  return (text: string | null | undefined) => formatWords(text ?? "", unit);
}

/** A time as the site's clock shows it; with no site, as this device's does. */
export function siteTime(iso: string, timeZone?: string) {
  return new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short", timeZone }).format(new Date(iso));
}

/** When something was, here: of today the hour alone. */
export function lately(iso: string, now = new Date()) {
  const at = new Date(iso);
  const today = at.toDateString() === now.toDateString();
  return today ? new Intl.DateTimeFormat("en-GB", { timeStyle: "short" }).format(at) : siteTime(iso);
}

/** The day of the site on which something was. */
export const siteDay = (iso: string, timeZone: string) =>
  new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone }).format(new Date(iso));

/** A date, as 2026-11-30, in the form that all dates have. */
export const dayText = (iso: string) =>
  new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone: "UTC" }).format(new Date(`${iso}T12:00Z`));

export const dB = (v: number, digits = 2) => v.toFixed(digits);

/** The day that it is where the device is, as 2026-11-30. */
export const today = () => new Intl.DateTimeFormat("sv-SE").format(new Date());
