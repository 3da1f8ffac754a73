export const GAP_S = 3; // longer than that without a sample the trace is broken, not drawn through

/** Times (before now) and values of a trace, broken where nothing came for a while. */
export function broken(samples: [number, number][], now: number): [number[], (number | null)[]] {
  const times: number[] = [];
  const values: (number | null)[] = [];
  samples.forEach(([t, v], n) => {
    const before = samples[n - 1]?.[0];
    if (before !== undefined && t - before > GAP_S) {
      times.push((before + t) / 2 - now);
      values.push(null);
    }
    times.push(t - now);
    values.push(v);
  });
  return [times, values];
}

/** Lowest and highest shown: the trace with air around it, never narrower than a few settle limits. */
export function scaleFor(low: number, high: number, limit: number): [number, number] {
  const middle = (low + high) / 2;
  const half = Math.max((high - low) * 0.6, limit * 4, 1e-9);
  return [middle - half, middle + half];
}
