import { useEffect, useRef, type RefObject } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Frame, Traces } from "../live/useLive";

export interface Curve {
  times: number[];
  signal: number[];
  baseline?: number[];
}
interface Peak {
  name: string;
  start: number;
  apex: number;
  end: number;
}
interface Window {
  name: string;
  low: number;
  high: number;
}

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

function inSmallType(u: uPlot) {
  u.ctx.save();
  u.ctx.font = `${12 * devicePixelRatio}px Atkinson Hyperlegible, sans-serif`;
  u.ctx.textAlign = "center";
}

/** Where each component should come out; named where no peak bears the name. Neighbours are written on two lines. */
function drawWindows(u: uPlot, windows: Window[], named: boolean) {
  const { ctx, bbox } = u;
  inSmallType(u);
  windows.forEach((w, n) => {
    const from = u.valToPos(w.low, "x", true);
    const to = u.valToPos(w.high, "x", true);
    ctx.fillStyle = colour("--kelp-soft");
    ctx.fillRect(from, bbox.top, to - from, bbox.height);
    ctx.fillStyle = colour("--muted");
    ctx.textBaseline = "top";
    if (named) ctx.fillText(w.name, (from + to) / 2, bbox.top + (2 + (n % 2) * 14) * devicePixelRatio);
  });
  ctx.restore();
}

/** The names of the peaks, those out of their window told so. */
function drawPeaks(u: uPlot, peaks: Peak[], windows: Window[], curve: Curve) {
  const { ctx, bbox } = u;
  inSmallType(u);
  let before = -Infinity;
  for (const p of peaks) {
    if (!p.name) continue;
    const near = curve.times.findIndex((t) => t >= p.apex);
    const at = u.valToPos(p.apex, "x", true);
    const y = u.valToPos(curve.signal[Math.max(near, 0)] ?? 0, "y", true);
    const window = windows.find((w) => w.name === p.name);
    const off = window !== undefined && (p.apex < window.low || p.apex > window.high);
    ctx.fillStyle = colour(off ? "--iron" : "--slate");
    ctx.textBaseline = "bottom";
    const close = at - before < 34 * devicePixelRatio;
    before = close ? -Infinity : at;
    ctx.fillText(off ? `${p.name}, out of its window` : p.name, at, Math.max(y - 3 - (close ? 14 * devicePixelRatio : 0), bbox.top + 14));
  }
  ctx.restore();
}

/** The two that come closest, with how far apart they came. */
function drawPair(u: uPlot, pair: string[], peaks: Peak[]) {
  const [first, second, apart] = pair;
  const one = peaks.find((p) => p.name === first);
  const two = peaks.find((p) => p.name === second);
  if (!one || !two) return;
  const { ctx, bbox } = u;
  inSmallType(u);
  ctx.strokeStyle = ctx.fillStyle = colour("--water");
  ctx.textBaseline = "top";
  const from = u.valToPos(one.apex, "x", true);
  const to = u.valToPos(two.apex, "x", true);
  const y = bbox.top + 18 * devicePixelRatio;
  ctx.beginPath();
  ctx.moveTo(from, y + 8);
  ctx.lineTo(from, y);
  ctx.lineTo(to, y);
  ctx.lineTo(to, y + 8);
  ctx.stroke();
  ctx.fillText(`R ${apart}`, (from + to) / 2, bbox.top + 2);
  ctx.restore();
}

const NOTHING: Curve = { times: [], signal: [] };

/** What the detector has told since the injection. */
function curveOf({ frame, traces }: { frame: Frame; traces: RefObject<Traces> }): Curve {
  const rows = (traces.current.chromatogram ?? []).filter((s) => s[0] >= frame.since);
  return { times: rows.map((s) => s[0] - frame.since), signal: rows.map((s) => s[1]) };
}

function dataOf(c: Curve): uPlot.AlignedData {
  return [c.times, c.signal, c.baseline ?? c.times.map(() => null)];
}

/** A chromatogram: its curve, what it stands on, where each component should come out and which did. The table beside it says the same. */
export function ChromatogramPlot({
  curve,
  live,
  windows = [],
  peaks = [],
  pair = [],
  seconds,
  height = 200,
}: {
  curve?: Curve;
  live?: { frame: Frame; traces: RefObject<Traces> };
  windows?: Window[];
  peaks?: Peak[];
  pair?: string[];
  seconds?: number;
  height?: number;
}) {
  const host = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const latest = useRef({ curve: curve ?? NOTHING, windows, peaks, pair, seconds });
  useEffect(() => {
    const now = live ? curveOf(live) : (curve ?? NOTHING);
    latest.current = { curve: now, windows, peaks, pair, seconds };
    plot.current?.setData(dataOf(now));
  });
  useEffect(() => {
    if (!host.current) return;
    const axis = { stroke: () => colour("--muted"), grid: { stroke: () => colour("--rule"), width: 1 }, ticks: { stroke: () => colour("--rule") }, font: "13px Atkinson Hyperlegible, sans-serif" };
    const made = new uPlot(
      {
        width: host.current.clientWidth || 600,
        height,
        legend: { show: false },
        cursor: { show: false },
        scales: {
          x: { time: false, range: (_u, low, high) => [Math.min(low ?? 0, 0), latest.current.seconds ?? high ?? 1] },
          y: { range: (_u, low, high) => [low ?? 0, (high ?? 1) + 0.12 * ((high ?? 1) - (low ?? 0) || 1)] },
        },
        axes: [{ ...axis, values: (_u, ticks) => ticks.map((t) => `${t} s`) }, { ...axis, size: 74, space: 22 }],
        series: [
          {},
          { stroke: () => colour("--water"), width: 1.5, points: { show: false } },
          { stroke: () => colour("--muted"), width: 1, dash: [4, 3], points: { show: false } },
        ],
        hooks: { drawClear: [(u) => drawWindows(u, latest.current.windows, !latest.current.peaks.length)], draw: [(u) => drawPeaks(u, latest.current.peaks, latest.current.windows, latest.current.curve), (u) => drawPair(u, latest.current.pair, latest.current.peaks)] },
      },
      dataOf(latest.current.curve),
      host.current,
    );
    plot.current = made;
    const resize = () => host.current && made.setSize({ width: host.current.clientWidth, height });
    window.addEventListener("resize", resize);
    // Colours are asked for at each drawing: turning the theme turns a plot that stands still, too.
    const theme = new MutationObserver(() => made.redraw(false, true));
    theme.observe(document.documentElement, { attributes: true, attributeFilter: ["data-theme"] });
    return () => {
      theme.disconnect();
      window.removeEventListener("resize", resize);
      made.destroy();
      plot.current = null;
    };
  }, [height]);
  return <div ref={host} aria-hidden="true" className="w-full" />;
}
