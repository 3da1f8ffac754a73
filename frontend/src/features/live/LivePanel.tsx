import { CircleCheck, CircleDashed, TriangleAlert, Unplug } from "lucide-react";
import { Fragment, lazy, Suspense, useState, type RefObject } from "react";
import type { Frame, LiveRow, Traces } from "./useLive";

const LivePlot = lazy(() => import("./LivePlot").then((m) => ({ default: m.LivePlot })));

const LOOK: Record<string, { word: string; Icon: typeof CircleCheck; tone: string }> = {
  settled: { word: "Settled", Icon: CircleCheck, tone: "text-kelp" },
  "not yet": { word: "Not yet", Icon: CircleDashed, tone: "text-amber" },
  "no data": { word: "Waiting for the first sample", Icon: CircleDashed, tone: "text-amber" },
  away: { word: "Elsewhere", Icon: CircleDashed, tone: "text-amber" },
  unstable: { word: "Unstable", Icon: TriangleAlert, tone: "text-iron" },
  lost: { word: "Source lost", Icon: Unplug, tone: "text-iron" },
};

function Row({ name, row, shown, brief, onShow }: { name: string; row: LiveRow; shown: boolean; brief: boolean; onShow: () => void }) {
  const { word, Icon, tone } = LOOK[row.status] ?? { word: row.status, Icon: CircleDashed, tone: "text-amber" };
  return (
    <button
      type="button"
      onClick={onShow}
      aria-pressed={shown}
      aria-label={`${row.label}: ${word}`}
      className={`grid min-h-12 w-full items-center gap-x-4 border-l-8 px-3 text-left ${brief ? "grid-cols-[1fr_auto]" : "grid-cols-[minmax(0,1fr)_auto_auto] sm:col-span-2"} ${shown ? "border-water bg-water-soft" : "border-rule"}`}
    >
      <span className={`min-w-0 truncate text-sm text-muted ${brief ? "col-span-2" : ""}`}>{row.label}</span>
      <span className={`${brief ? "text-lg" : "text-2xl"} font-bold whitespace-nowrap`} data-live={name}>
        {row.text || "–"} <span className="text-base font-normal">{row.unit}</span>
      </span>
      <span className={`inline-flex ${brief ? "text-sm" : "w-32"} items-center gap-1 font-bold ${tone}`}>
        <Icon size={18} aria-hidden="true" className="shrink-0" /> {word}
      </span>
      <span className={`text-sm ${brief ? "col-span-2" : "col-span-3 pb-1"}`}>
        {!brief && row.says}
        {row.response === "no response" && <strong className="text-iron"> No response: it moved less than a tenth of what was to come.</strong>}
        {row.response === "out of acceptance" && <strong className="text-iron"> Out of acceptance: too far off to be adjusted.</strong>}
      </span>
    </button>
  );
}

/** Each live quantity with how it stands and the numbers behind it, and the trace of the one looked at. */
export function LivePanel({ frame, traces, connected }: { frame: Frame | null; traces: RefObject<Traces>; connected: boolean }) {
  const [chosen, choose] = useState("indicated");
  if (!frame) return <p className="text-muted">{connected ? "Waiting for the first sample…" : "Connecting to the live sources…"}</p>;
  const names = Object.keys(frame.rows).sort((a, b) => Number(b === "indicated") - Number(a === "indicated"));
  const shown = names.includes(chosen) ? chosen : names[0];
  return (
    <section aria-label="Live signals" className="space-y-1">
      {!connected && (
        <p role="status" className="flex items-center gap-2 font-bold text-iron">
          <Unplug size={18} aria-hidden="true" /> The live picture stands still: no connection to the server. Typing goes on.
        </p>
      )}
      <div className="grid gap-1 sm:grid-cols-2">
        {[shown, ...names.filter((n) => n !== shown)].map((name) => {
          const row = name === undefined ? undefined : frame.rows[name];
          if (name === undefined) return null;
          // With many signals only the one looked at, and what is lost, is told at length.
          const brief = names.length > 2 && name !== shown && row?.status !== "lost";
          return (
            <Fragment key={name}>
              {row && <Row name={name} row={row} shown={name === shown} brief={brief} onShow={() => choose(name)} />}
              {name === shown && (
                <div className="sm:col-span-2">
                  <Suspense fallback={<div className="h-[150px]" />}>
                    <LivePlot name={name} frame={frame} traces={traces} />
                  </Suspense>
                </div>
              )}
            </Fragment>
          );
        })}
      </div>
    </section>
  );
}
