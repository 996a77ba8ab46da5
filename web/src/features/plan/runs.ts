/** Ports of ends that lie together on one panel, from the first to the last of each run. */
export function runsOf(
  ends: { placeId: string; port: number }[],
): { placeId: string; fromPort: number; toPort: number }[] {
  const runs: { placeId: string; fromPort: number; toPort: number }[] = [];
  for (const e of [...ends].sort((a, b) => a.placeId.localeCompare(b.placeId) || a.port - b.port)) {
    const last = runs.at(-1);
    if (last && last.placeId === e.placeId && e.port <= last.toPort + 1) last.toPort = e.port;
    else runs.push({ placeId: e.placeId, fromPort: e.port, toPort: e.port });
  }
  return runs;
}
