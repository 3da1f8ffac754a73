import { Button } from "./Button";
import { Message } from "./Message";

/** A form that stands as it was left, not stored yet. */
export function KeptNote({ onDrop }: { onDrop: () => void }) {
  return (
    <Message tone="edge" title="Not stored yet">
      <p>What you typed here before stands in the form.</p>
      <Button onClick={onDrop} className="mt-2">
        Give it up
      </Button>
    </Message>
  );
}
