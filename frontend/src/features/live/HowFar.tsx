import type { Schemas } from "../../api/client";
import { span } from "../../ui/format";

/** How many readings a capture has, and about how long the rest takes at its pace; not read out each time it changes. */
export function HowFar({ auto }: { auto: Pick<Schemas["Auto"], "runs" | "left_s"> }) {
  const [taken, total] = [auto.runs.reduce((n, r) => n + r.taken, 0), auto.runs.reduce((n, r) => n + r.total, 0)];
  if (!total) return null;
  return (
    <span aria-live="off" className="whitespace-nowrap text-muted">
      {taken} of {total} taken{auto.left_s !== null && taken < total && `, about ${span(1000 * auto.left_s)} left`}
    </span>
  );
}
