import { TriangleAlert } from "lucide-react";
import { useEffect, useRef, type FormEvent, type ReactNode } from "react";
import type { Run, Step } from "../../api/client";
import { useShortcuts } from "../../app/shortcuts";
import { whenFree } from "../../ui/focus";

export interface StepProps {
  run: Run;
  step: Step;
}

/** Frame of a step: title, instruction, cautions, what is asked, and the one primary action that never scrolls away. */
export function StepFrame({ step, children, action, onSubmit }: { step: Step; children: ReactNode; action: ReactNode; onSubmit?: () => void }) {
  useShortcuts([{ keys: "Ctrl+Enter", says: "do the step’s main action", run: () => onSubmit?.(), always: true }]);
  const form = useRef<HTMLFormElement>(null);
  const heading = useRef<HTMLHeadingElement>(null);
  // A new step takes the focus: its first field where it asks for one, else its title, so that Tab goes on from here; never from a window in front of it.
  useEffect(
    () =>
      whenFree(() => {
        if (form.current?.contains(document.activeElement)) return;
        const first = form.current?.querySelector<HTMLElement>("[data-autofocus]");
        (first ?? heading.current)?.focus({ preventScroll: true });
      }),
    [step.key],
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onSubmit?.();
  };
  return (
    <form ref={form} onSubmit={submit} noValidate className="flex min-h-0 flex-1 flex-col" aria-labelledby="step-title">
      <div className="min-h-0 flex-1 space-y-3 overflow-y-auto px-6 py-3">
        <div>
          {step.phase !== step.title.toLowerCase() && <p className="text-sm text-muted">{step.phase}</p>}
          <h2 id="step-title" ref={heading} tabIndex={-1} className="text-2xl font-bold outline-none">
            {step.title}
          </h2>
          {step.instruction && <p className="mt-1 max-w-prose">{step.instruction}</p>}
        </div>
        {step.cautions.length > 0 && (
          <ul className="space-y-1 border-l-8 border-amber bg-amber-soft px-3 py-2" aria-label="Cautions">
            {step.cautions.map((c) => (
              <li key={c} className="flex gap-2">
                <TriangleAlert size={18} aria-hidden="true" className="mt-0.5 shrink-0 text-amber" />
                <span>{c}</span>
              </li>
            ))}
          </ul>
        )}
        {children}
      </div>
      <div className="flex flex-wrap items-center justify-end gap-3 border-t-2 border-slate bg-page px-6 py-3">{action}</div>
    </form>
  );
}
