import { Button } from "../../ui/Button";
import { Message } from "../../ui/Message";
import { useMeanwhile, useTakeRun } from "./useRun";

/** What happened while this page was behind, until it is read or the next entry is stored. */
export function Meanwhile({ id }: { id: string }) {
  const words = useMeanwhile(id);
  const { dismiss } = useTakeRun(id);
  if (!words) return null;
  return (
    <div className="px-6 pt-3">
      <Message tone="edge">
        <div className="flex flex-wrap items-center justify-between gap-3">
          <p className="min-w-0 flex-1">{words}</p>
          <Button onClick={dismiss}>I have read it</Button>
        </div>
      </Message>
    </div>
  );
}
