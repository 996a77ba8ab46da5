/** When this device is to say that the next mix is due: end times, kept through sleep and reload. */
export type MixDue = { at: number; text: string; done?: boolean };

const KEPT = "rhabdon.mixes";

export const mixPlan = (): MixDue[] => JSON.parse(localStorage.getItem(KEPT) ?? "[]");

export const writeMixPlan = (plan: MixDue[]) => {
  if (plan.some((m) => !m.done)) localStorage.setItem(KEPT, JSON.stringify(plan));
  else localStorage.removeItem(KEPT);
  window.dispatchEvent(new Event(KEPT));
};

/** The oven is switched on now. */
export const keepMixPlan = (steps: { atMin: number; text: string }[], finish: { atMin: number; text: string }) =>
  writeMixPlan([...steps, finish].map((m) => ({ at: Date.now() + m.atMin * 60_000, text: m.text })));

export const onMixPlan = (changed: () => void) => {
  window.addEventListener(KEPT, changed);
  return () => window.removeEventListener(KEPT, changed);
};
