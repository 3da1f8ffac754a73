import { useEffect, useRef, type RefObject } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { broken, scaleFor } from "./scale";
import type { Frame, Traces } from "./useLive";

const SHOWN_S = 60;
const HEIGHT = 150;

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

/** What the exposure came to: the highest while gas was forced in, the plateau that counts, and when gas came. */
function drawExposure(u: uPlot, f: Frame) {
  const { ctx, bbox } = u;
  const { peak, plateau, kind } = f.exposure ?? { peak: 0, plateau: 0, kind: "" };
  const right = bbox.left + bbox.width;
  ctx.font = `${13 * devicePixelRatio}px Atkinson Hyperlegible, sans-serif`;
  ctx.setLineDash([2, 3]);
  ctx.textAlign = "left";
  const level = (value: number, words: string, tone: string, above: boolean) => {
    const y = u.valToPos(value, "y", true);
    if (y < bbox.top || y > bbox.top + bbox.height) return;
    ctx.strokeStyle = ctx.fillStyle = colour(tone);
    ctx.beginPath();
    ctx.moveTo(bbox.left, y);
    ctx.lineTo(right, y);
    ctx.stroke();
    ctx.textBaseline = above ? "bottom" : "top";
    ctx.fillText(words, bbox.left + 6, y + (above ? -2 : 3));
  };
  const span = Math.abs((u.scales.y?.max ?? 1) - (u.scales.y?.min ?? 0));
  if (kind !== "waiting") level(plateau, "plateau", "--kelp", false);
  if (Math.abs(peak - plateau) > 0.04 * span) level(peak, "peak, not the reading", "--iron", peak < plateau);
  const at = u.valToPos(f.since - f.now, "x", true);
  if (at > bbox.left) {
    ctx.strokeStyle = ctx.fillStyle = colour("--muted");
    ctx.beginPath();
    ctx.moveTo(at, bbox.top);
    ctx.lineTo(at, bbox.top + bbox.height);
    ctx.stroke();
    ctx.textBaseline = "top";
    if (!f.interruptions?.length) ctx.fillText("gas on", at + 4, bbox.top + 2);
  }
}

/** When what is watched had to begin anew: an automatic zero, a flow that fell. */
function drawInterruptions(u: uPlot, f: Frame) {
  const { ctx, bbox } = u;
  ctx.strokeStyle = ctx.fillStyle = colour("--amber");
  ctx.font = `${13 * devicePixelRatio}px Atkinson Hyperlegible, sans-serif`;
  ctx.setLineDash([2, 3]);
  ctx.textAlign = "left";
  ctx.textBaseline = "bottom";
  for (const { t } of f.interruptions ?? []) {
    const at = u.valToPos(t - f.now, "x", true);
    if (at <= bbox.left) continue;
    ctx.beginPath();
    ctx.moveTo(at, bbox.top);
    ctx.lineTo(at, bbox.top + bbox.height);
    ctx.stroke();
    ctx.fillText("begun anew", at + 4, bbox.top + bbox.height - 3);
  }
}

/** The limit below which gas counts as gone, where a purge is watched. */
function drawLimit(u: uPlot, limit: number) {
  const { ctx, bbox } = u;
  const y = u.valToPos(limit, "y", true);
  if (y < bbox.top || y > bbox.top + bbox.height) return;
  ctx.strokeStyle = ctx.fillStyle = colour("--kelp");
  ctx.setLineDash([2, 3]);
  ctx.textAlign = "left";
  ctx.font = `${13 * devicePixelRatio}px Atkinson Hyperlegible, sans-serif`;
  ctx.beginPath();
  ctx.moveTo(bbox.left, y);
  ctx.lineTo(bbox.left + bbox.width, y);
  ctx.stroke();
  ctx.textBaseline = "bottom";
  ctx.fillText("purged below this", bbox.left + 6, y - 2);
}

/** The trace of one quantity over the last minute, with the settle window shaded and the settle limits about its mean. */
export function LivePlot({ name, frame, traces }: { name: string; frame: Frame; traces: RefObject<Traces> }) {
  const host = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const latest = useRef({ frame, name });
  useEffect(() => {
    latest.current = { frame, name };
  });
  useEffect(() => {
    if (!host.current) return;
    const shade = (u: uPlot) => {
      const { frame: f, name: n } = latest.current;
      const row = f.rows[n];
      const { ctx, bbox } = u;
      const from = u.valToPos(Math.max(f.now - f.window_s, f.since) - f.now, "x", true);
      ctx.save();
      ctx.fillStyle = colour(row?.status === "settled" ? "--kelp-soft" : "--amber-soft");
      ctx.fillRect(Math.max(from, bbox.left), bbox.top, bbox.left + bbox.width - Math.max(from, bbox.left), bbox.height);
      if (row?.mean != null && row.limit) {
        ctx.strokeStyle = colour("--rule-strong");
        ctx.setLineDash([6, 4]);
        for (const at of [row.mean - row.limit / 2, row.mean + row.limit / 2]) {
          const y = u.valToPos(at, "y", true);
          ctx.beginPath();
          ctx.moveTo(Math.max(from, bbox.left), y);
          ctx.lineTo(bbox.left + bbox.width, y);
          ctx.stroke();
        }
      }
      if (n === "indicated" && f.exposure) drawExposure(u, f);
      if (n === "indicated") drawInterruptions(u, f);
      if (n === "indicated" && f.purge_limit != null) drawLimit(u, f.purge_limit);
      ctx.restore();
    };
    // Asked at each drawing, so that turning the theme turns the plot.
    const axis = { stroke: () => colour("--muted"), grid: { stroke: () => colour("--rule"), width: 1 }, ticks: { stroke: () => colour("--rule") }, font: "13px Atkinson Hyperlegible, sans-serif" };
    const made = new uPlot(
      {
        width: host.current.clientWidth || 600,
        height: HEIGHT,
        legend: { show: false },
        cursor: { show: false },
        scales: { x: { time: false, range: [-SHOWN_S, 0] }, y: { range: (_u, low, high) => scaleFor(low ?? 0, high ?? 1, latest.current.frame.rows[latest.current.name]?.limit ?? 0) } },
        axes: [{ ...axis, values: (_u, ticks) => ticks.map((t) => `${t} s`) }, { ...axis, size: 74, space: 22 }],
        series: [{}, { stroke: () => colour("--water"), width: 2, points: { show: false } }],
        hooks: { drawClear: [shade] },
      },
      [[], []],
      host.current,
    );
    plot.current = made;
    const resize = () => host.current && made.setSize({ width: host.current.clientWidth, height: HEIGHT });
    window.addEventListener("resize", resize);
    return () => {
      window.removeEventListener("resize", resize);
      made.destroy();
      plot.current = null;
    };
  }, []);
  useEffect(() => {
    const rows = (traces.current[name] ?? []).filter((s) => s[0] > frame.now - SHOWN_S);
    plot.current?.setData(broken(rows, frame.now));
  }, [frame, name, traces]);
  return <div ref={host} aria-hidden="true" className="w-full" />;
}
