/** 1–4, 7: numbers in few words. */
export function spans(numbers: number[]): string {
  const parts: [number, number][] = [];
  for (const n of [...numbers].sort((a, b) => a - b)) {
    const last = parts.at(-1);
    if (last && last[1] === n - 1) last[1] = n;
    else parts.push([n, n]);
  }
  return parts.map(([a, b]) => (a === b ? a : `${a}–${b}`)).join(", ");
}
