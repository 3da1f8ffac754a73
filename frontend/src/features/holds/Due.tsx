import { Clock, TriangleAlert } from "lucide-react";
import { span } from "../../ui/format";
import type { HoldRow } from "./HoldForms";

/** When a hold is due back, or by how much it is over. */
export function Due({ hold, now }: { hold: HoldRow; now: number }) {
  const late = now - Date.parse(hold.until);
  if (late > 0)
    return (
      <strong className="inline-flex items-baseline gap-1 text-iron">
        <TriangleAlert size={18} aria-hidden="true" className="self-center" /> overdue by {span(late)}
      </strong>
    );
  const soon = hold.is_due_soon;
  return (
    <span className={`inline-flex items-baseline gap-1 ${soon ? "font-bold text-amber" : ""}`}>
      <Clock size={18} aria-hidden="true" className="self-center" /> {soon ? "due back in" : "back in"} {span(-late)}
    </span>
  );
}
