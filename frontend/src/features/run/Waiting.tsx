import { useState } from "react";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Message } from "../../ui/Message";
import type { useEntries } from "./useEntries";

type Entries = ReturnType<typeof useEntries>;

interface Props {
  entries: Entries;
  /** The number of the reading that the run asks for now. */
  first: number;
  unit: (name: string) => string;
}

/** What was entered and is not stored yet: on its way, or behind one that was refused. */
export function Waiting({ entries, first, unit }: Props) {
  const { waiting, refused, failure } = entries;
  if (!waiting.length) return null;
  const told = waiting.map((e, n) => `${first + n}: ${e.values.indicated ?? ""}`).join(", ");
  if (!refused) {
    return (
      <p role="status" aria-label="On the way" className="text-muted">
        On the way: {told}
      </p>
    );
  }
  const suggestion = typeof failure?.details.suggestion === "string" ? failure.details.suggestion : null;
  const name = failure?.field || "indicated";
  const isLost = failure?.code === "no_connection" || (failure?.status ?? 0) >= 500;
  return (
    <Message tone={failure?.details.can_confirm === true ? "edge" : "out"} title={isLost ? undefined : `Reading ${first}, typed as ${refused.values[name] ?? ""}`}>
      <p>{failure?.message ?? "These were entered and are not stored yet."}</p>
      {waiting.length > 1 && <p>Waiting, in this order: {told}. Nothing of it is stored yet.</p>}
      <div className="mt-2 flex flex-wrap items-center gap-3">
        {suggestion && (
          <Button kind="primary" onClick={() => entries.settle({ [name]: suggestion })}>
            Yes, {suggestion} {unit(name)}
          </Button>
        )}
        {failure?.details.can_confirm === true && <Button onClick={() => entries.settle({}, true)}>It really is so</Button>}
        {(isLost || failure === null) && (
          <Button kind="primary" onClick={entries.again}>
            Send again
          </Button>
        )}
        {!isLost && <Correct key={refused.id} entries={entries} value={refused.values[name] ?? ""} name={name} unit={unit(name)} />}
      </div>
    </Message>
  );
}

/** The refused number typed again, in a field of its own: what is being typed for a later reading stays where it is. */
function Correct({ entries, value, name, unit }: { entries: Entries; value: string; name: string; unit: string }) {
  const [text, setText] = useState(value);
  const settle = () => entries.settle({ [name]: text });
  return (
    <div
      className="flex flex-wrap items-end gap-3"
      onKeyDown={(e) => {
        if (e.key !== "Enter" || !(e.target instanceof HTMLInputElement)) return;
        e.preventDefault();
        settle();
      }}
    >
      <TextField label="Typed again" unit={unit} numeric value={text} onChange={setText} />
      <Button onClick={settle}>Record it so</Button>
      <Button onClick={entries.drop}>Take it out: it was not meant</Button>
    </div>
  );
}
