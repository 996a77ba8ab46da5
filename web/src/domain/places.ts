import type { S } from "../api/client";

/** Where ends of a job are worked: its panels, and its jumpers, which land on none. */
export type Place = { placeId: string; label: string; name: string; ports?: number; jumper?: S["Cable"] };

export function placesOf(d: S["JobDetail"]): Place[] {
  const panels = d.panels.map((p) => {
    const space = d.spaces.find((s) => s.spaceId === p.spaceId);
    return { placeId: p.panelId, label: `${space?.code}-${p.code}`, name: space?.name ?? "", ports: p.ports };
  });
  const jumpers = d.cables
    .filter((c) => c.orderedLengthMm !== null)
    .map((c) => ({ placeId: c.cableId, label: c.code, name: "", jumper: c }));
  return [...panels, ...jumpers];
}
