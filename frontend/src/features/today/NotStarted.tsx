import { useState } from "react";
import { Link } from "react-router";
import { ApiFailure } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import type { useStart } from "./useStart";

type Supervisor = { username: string; name: string };

/** Why a run was not started, with the way on: the run that is open already, or who answers for work that takes a qualification. */
export function NotStarted({ start }: { start: ReturnType<typeof useStart> }) {
  const [who, setWho] = useState("");
  if (!start.isError) return null;
  const details = start.error instanceof ApiFailure ? start.error.details : {};
  const able = (details.supervisors ?? []) as Supervisor[];
  const asked = start.variables;
  return (
    <div className="mb-4 space-y-2">
      <Failure error={start.error} />
      {typeof details.run === "string" && (
        <Link to={`/run/${details.run}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
          Go to the open run
        </Link>
      )}
      {able.length > 0 && asked && (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            start.mutate({ ...(typeof asked === "string" ? { tag: asked } : asked), supervisor: who });
          }}
        >
          <div className="w-72">
            <ChoiceField label="Who answers for the work" value={who} onChange={setWho} options={able.map((p) => ({ value: p.username, label: p.name }))} />
          </div>
          <Button type="submit" kind="primary" disabled={!who || start.isPending}>
            Start with this supervisor
          </Button>
        </form>
      )}
    </div>
  );
}
