import { useEffect, useRef } from "react";
import { ApiFailure } from "../api/client";
import { Button } from "./Button";

interface Told {
  field: string;
  details?: { can_confirm?: boolean; suggestion?: string | null };
}

/** For numbers that are not believed without asking: the likelier ones, or that it really is so. Nothing where something else is wrong too. */
export function ReallySo({ error, onConfirm, onTake }: { error: unknown; onConfirm: (fields: string) => void; onTake: (field: string, value: string) => void }) {
  const all = error instanceof ApiFailure && Array.isArray(error.details.faults) ? (error.details.faults as Told[]) : [];
  const asks = all.length > 0 && all.every((f) => f.details?.can_confirm);
  const answers = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (asks) answers.current?.scrollIntoView?.({ block: "nearest" }); // what is asked must be answered, so it must be seen
  }, [asks, error]);
  if (!asks) return null;
  return (
    <div ref={answers} className="flex flex-wrap gap-3">
      {all.map((f) => {
        const likelier = f.details?.suggestion;
        return (
          likelier && (
            <Button key={f.field} onClick={() => onTake(f.field, likelier)}>
              Yes, {likelier}
            </Button>
          )
        );
      })}
      <Button onClick={() => onConfirm(all.map((f) => f.field).join(","))}>It really is so</Button>
    </div>
  );
}
