import { Syringe } from "lucide-react";
import { lazy, Suspense, useState, type RefObject } from "react";
import type { RunView, Step } from "../../api/client";
import { useShortcuts } from "../../app/shortcuts";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { FileButton } from "../../ui/Files";
import { clock, countdown } from "../../ui/format";
import { Failure } from "../../ui/Message";
import { useNow } from "../../ui/useNow";
import type { Frame, Traces } from "../live/useLive";
import type { ChromatogramEntryState } from "./useChromatogram";

const ChromatogramPlot = lazy(() => import("./ChromatogramPlot").then((m) => ({ default: m.ChromatogramPlot })));

type Entry = NonNullable<NonNullable<Step["readings"]>["chromatogram"]>;
type Chromatogram = RunView["chromatograms"][number];

/** How long it is until the next injection, so that nothing of the last one is left. */
export function Wait({ until }: { until: string }) {
  const now = useNow();
  const left = until ? Date.parse(until) - now : 0;
  if (left <= 0) return null;
  return (
    <p role="timer" className="border-l-8 border-amber bg-amber-soft px-3 py-2 text-lg font-bold">
      Next injection in {countdown(left)}: what is left of the last one goes first.
    </p>
  );
}

/** One injection by its chromatogram, from a file or from the detector itself; all components come with it. */
export function ChromatogramEntry({ entry, state, live, traces }: { entry: Entry; state: ChromatogramEntryState; live: Frame | null; traces: RefObject<Traces> }) {
  const isLive = Boolean(live?.rows.chromatogram);
  const { typed, set, errors, busy, injected, fromFile, failed } = state;
  useShortcuts(isLive ? [{ keys: "Ctrl+G", says: "injected now", run: () => injected.mutate(), always: true }] : []);
  const last = entry.lasts_s;
  const since = live ? live.now - live.since : 0;
  return (
    <section aria-label={`Injection ${entry.injection}`} className="space-y-3">
      {live && isLive && (
        <Suspense fallback={<div style={{ height: 200 }} />}>
          <ChromatogramPlot live={{ frame: live, traces }} windows={entry.windows} seconds={last * 1.08} />
        </Suspense>
      )}
      <div className="flex flex-wrap items-end gap-3">
        {entry.asked.map((q) => {
          const shown = live?.rows[q.name];
          return (
            <div key={q.name} className="w-64">
              <TextField
                label={q.label}
                unit={q.unit}
                hint={shown ? `Live ${shown.text} ${q.unit}; typed instead if you write it.` : q.hint}
                numeric
                value={typed[q.name] ?? ""}
                onChange={(v) => set(q.name, v)}
                error={errors[q.name]}
              />
            </div>
          );
        })}
        {isLive && (
          <Button onClick={() => injected.mutate()}>
            <Syringe size={18} aria-hidden="true" /> Injected now
          </Button>
        )}
        <FileButton
          label={fromFile.isPending ? "Reading…" : "Chromatogram from a file"}
          name="Chromatogram as a file"
          disabled={busy}
          onFile={(sent) => fromFile.mutate(sent)}
        />
        {isLive && <span role="status">{!live?.is_marked ? "Not injected yet." : since > last ? "Everything has come out." : `${Math.max(0, since).toFixed(0)} s of ${last.toFixed(0)} s`}</span>}
      </div>
      {failed && <Failure error={failed} />}
    </section>
  );
}

function One({ c }: { c: Chromatogram }) {
  return (
    <figure>
      <figcaption className="text-sm">
        <strong>{c.title}</strong>, {clock(c.at)}, {c.label}
      </figcaption>
      <Suspense fallback={null}>
        <ChromatogramPlot curve={c} peaks={c.peaks} windows={c.windows} pair={c.pair} height={170} />
      </Suspense>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={`Peaks, ${c.title}`}>
        <table className="w-full text-xs tabular-nums [&_td]:pl-2 [&_th]:pl-2">
          <thead>
            <tr className="border-b border-slate">
              <th>Peak</th>
              {["Start, s", "Apex, s", "End, s", "Area", "Height", "Width, s", "Asymmetry", "Resolution"].map((h) => (
                <th key={h} className="text-right">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {c.peaks.map((p) => (
              <tr key={p.apex} className="border-b border-rule">
                <td>{p.name || "–"}</td>
                {[p.start, p.apex, p.end].map((v, n) => (
                  <td key={n} className="text-right">
                    {v.toFixed(2)}
                  </td>
                ))}
                <td className="text-right">{p.area}</td>
                <td className="text-right">{p.height}</td>
                <td className="text-right">{p.width.toFixed(2)}</td>
                <td className="text-right">{p.asymmetry.toFixed(2)}</td>
                <td className="text-right">{p.resolution?.toFixed(2) ?? "–"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </figure>
  );
}

/** The chromatograms of a run, the last one first. */
export function Chromatograms({ view }: { view: RunView }) {
  const [all, setAll] = useState(false);
  const shown = [...view.chromatograms].reverse();
  if (!shown.length) return null;
  return (
    <section aria-label="Chromatograms" className="space-y-3 py-2">
      {(all ? shown : shown.slice(0, 1)).map((c) => (
        <One key={c.title + c.at} c={c} />
      ))}
      {shown.length > 1 && <Button onClick={() => setAll(!all)}>{all ? "Only the last" : `All ${shown.length} chromatograms`}</Button>}
    </section>
  );
}
