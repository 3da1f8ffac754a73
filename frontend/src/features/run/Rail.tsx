import { Check, ChevronRight, Circle, Minus, Undo2 } from "lucide-react";
import type { RunView } from "../../api/client";
import { Ring } from "../../ui/Ring";

const LOOK: Record<string, { Icon: typeof Check; tone: string; word: string }> = {
  done: { Icon: Check, tone: "text-kelp", word: "done" },
  current: { Icon: ChevronRight, tone: "text-water font-bold", word: "now" },
  later: { Icon: Circle, tone: "text-slate", word: "later" },
  "if needed": { Icon: Circle, tone: "text-muted italic", word: "if needed" },
  "left out": { Icon: Minus, tone: "text-muted line-through", word: "left out" },
};

/** The steps round the loop, by phase. */
export function Rail({ view, onReopen }: { view: RunView; onReopen?: (step: string) => void }) {
  return (
    <nav aria-label="Steps" tabIndex={0} className="min-h-0 overflow-y-auto bg-salt px-3 py-1 max-lg:hidden">
      <div className="flex items-center gap-3 pb-1">
        <Ring closed={view.closed} size={36} />
        <span className="leading-tight">
          <span className="block text-lg font-bold">{Math.round(view.closed * 100)} %</span>
          <span className="block text-sm text-muted">of the loop closed</span>
        </span>
      </div>
      <ol>
        {view.rail
          .filter((p) => p.steps.length)
          .map((p) => (
            <li key={p.phase} className="border-t border-rule pb-0.5">
              <span className="block text-xs leading-5 text-muted">{p.phase}</span>
              <ol>
                {p.steps.map((s) => {
                  const look = LOOK[s.status] ?? { Icon: Circle, tone: "", word: s.status };
                  return (
                    <li
                      key={s.key}
                      aria-current={s.status === "current" ? "step" : undefined}
                      title={s.why || undefined}
                      className={`flex items-center gap-2 py-0.5 text-sm ${look.tone} ${s.status === "current" ? "-mx-3 bg-water-soft px-3" : ""}`}
                    >
                      <look.Icon size={15} strokeWidth={s.status === "later" || s.status === "if needed" ? 2 : 3} aria-hidden="true" />
                      <span>{s.title}</span>
                      <span className="sr-only">, {look.word}</span>
                      {onReopen && view.can_reopen.includes(s.key) && (
                        <button
                          type="button"
                          aria-label={`Open ${s.title} again`}
                          title="Open this step again, with a reason"
                          onClick={() => onReopen(s.key)}
                          className="-my-3 -mr-2 ml-auto inline-flex size-12 shrink-0 items-center justify-center rounded-md text-water hover:bg-water-soft"
                        >
                          <Undo2 size={16} aria-hidden="true" />
                        </button>
                      )}
                    </li>
                  );
                })}
              </ol>
            </li>
          ))}
      </ol>
    </nav>
  );
}
