import { Button } from "./Button";

/** A form is left as it was: what was typed in it is given up. */
export function LeaveIt({ kept, onLeave }: { kept: { drop: () => void }; onLeave: () => void }) {
  const leave = () => {
    kept.drop();
    onLeave();
  };
  return <Button onClick={leave}>Leave it</Button>;
}
