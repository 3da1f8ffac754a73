import { Info, TriangleAlert } from "lucide-react";
import { useEffect, useRef, type ReactNode } from "react";
import { ApiFailure } from "../api/client";

/** A sentence that matters: refused, doubted, or merely said. */
export function Message({ tone = "info", children, title }: { tone?: "info" | "edge" | "out"; children: ReactNode; title?: string }) {
  const look = { info: "bg-water-soft border-water", edge: "bg-amber-soft border-amber", out: "bg-iron-soft border-iron" }[tone];
  const Icon = tone === "info" ? Info : TriangleAlert;
  const box = useRef<HTMLDivElement>(null);
  const said = useRef("");
  // What was refused or doubted must be seen, also where the page is long: once, for a page drawn anew by live readings must not be pulled back each time.
  useEffect(() => {
    const says = tone === "info" ? "" : (box.current?.textContent ?? "");
    if (says && says !== said.current) box.current?.scrollIntoView?.({ block: "nearest" });
    said.current = says;
  });
  return (
    <div
      ref={box}
      role={tone === "info" ? "status" : "alert"}
      className={`flex gap-3 border-l-4 px-3 py-2.5 ${look}`}
    >
      <Icon size={20} aria-hidden="true" className="mt-0.5 shrink-0" />
      <div className="min-w-0 flex-1">
        {title && <p className="font-bold">{title}</p>}
        {children}
      </div>
    </div>
  );
}

/** A failure in words. A run that has moved on is told above the step (Meanwhile), not here as well. */
export function Failure({ error, retry }: { error: unknown; retry?: () => void }) {
  if (error instanceof ApiFailure && error.code === "stale") return null;
  const words = error instanceof ApiFailure ? error.message : "This page could not be shown. What was stored is safe; reload it.";
  return (
    <Message tone="out">
      <p>{words}</p>
      {retry && (
        <button type="button" onClick={retry} className="mt-1 min-h-12 font-bold text-water underline">
          Try again
        </button>
      )}
    </Message>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="p-6 text-muted">
      Fetching {what}…
    </p>
  );
}
