/** The loop of a job: its arc closes as the job goes from plan to signed; a gap is a loop that is still open. */
export function Ring({ closed, size = 22, state }: { closed: number; size?: number; state?: "open" | "done" | "idle" | "void" }) {
  const r = 9;
  const around = 2 * Math.PI * r;
  const shown = Math.max(0, Math.min(1, closed));
  const kind = state ?? (shown >= 1 ? "done" : shown > 0 ? "open" : "idle");
  const colour = { done: "var(--kelp)", open: "var(--water)", idle: "var(--rule-strong)", void: "var(--rule-strong)" }[kind];
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" aria-hidden="true" className="shrink-0">
      <circle cx="12" cy="12" r={r} fill="none" stroke="var(--rule)" strokeWidth="4" strokeDasharray={kind === "void" ? "3 3" : undefined} />
      {shown > 0 && kind !== "void" && (
        <circle
          cx="12"
          cy="12"
          r={r}
          fill="none"
          stroke={colour}
          strokeWidth="4"
          strokeDasharray={`${shown * around} ${around}`}
          transform="rotate(-90 12 12)"
        />
      )}
    </svg>
  );
}
