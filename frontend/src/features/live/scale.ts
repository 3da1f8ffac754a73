/** Lowest and highest shown: the trace with air around it, never narrower than a few settle limits. */
export function scaleFor(low: number, high: number, limit: number): [number, number] {
  const middle = (low + high) / 2;
  const half = Math.max((high - low) * 0.6, limit * 4, 1e-9);
  return [middle - half, middle + half];
}
