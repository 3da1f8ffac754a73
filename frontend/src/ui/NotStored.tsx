import { useMutationState } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { isTrouble } from "../api/again";

/** A line across the page for what is wrong with the server, not with what was entered. */
export const TROUBLE_LINE = "flex min-h-12 shrink-0 items-center gap-3 border-b border-l-8 border-b-rule border-l-iron bg-iron-soft px-4 py-1";

/** What could not be stored and is being sent again by itself, on whichever page it was entered. */
export function NotStored() {
  const reasons = useMutationState({ filters: { status: "pending" }, select: (m) => m.state.failureReason });
  const trouble = reasons.find(isTrouble);
  if (!trouble) return null;
  return (
    // Over whatever is open: a window over the page must not hide why its button does nothing.
    <div role="alert" className={`${TROUBLE_LINE} fixed inset-x-0 bottom-0 z-[60] border-t shadow-lg`}>
      <TriangleAlert size={18} aria-hidden="true" className="shrink-0" />
      <p>{trouble.message}</p>
    </div>
  );
}
