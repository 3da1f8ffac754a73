import { CornerDownLeft, TriangleAlert } from "lucide-react";
import { useEffect, useRef } from "react";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraft } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

type PairOf = StepProps["step"]["pairs"][number];
type Way = "out" | "back";

/** Things moved for the test, and moved back: each with where it stands now, in words. */
export function CheckpairsStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const out = step.pairs.filter((p) => p.is_out);
  const goesBack = step.pairs.every((p) => !p.can_go_out);
  const move = (pair: string, to: Way, terminal: string, done: () => void) =>
    append.mutate([{ type: "pair_moved", payload: { step: step.key, pair, to, ...(terminal ? { terminal } : {}) } }], { onSuccess: done });
  const confirm = () => append.mutate([{ type: "step_confirmed", payload: { step: step.key, values: {}, checks: [] } }]);
  const list = useRef<HTMLUListElement>(null);
  const left = goesBack ? out.length : step.pairs.length - out.length;
  const typed = step.pairs.some((p) => p.has_terminal);
  useEffect(() => {
    // Wires are typed one after the other; with the last one moved, the end of the step is next.
    if (!typed) return;
    const next = left ? "[data-waits] input" : "[type=submit]";
    list.current?.closest("form")?.querySelector<HTMLElement>(next)?.focus();
  }, [left, typed]);
  return (
    <StepFrame
      step={step}
      onSubmit={confirm}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {step.confirm_label}
        </Button>
      }
    >
      <Keys run={run} only={step.keys} />
      <ul ref={list} className="border-t border-rule">
        {step.pairs.map((p) => (
          <PairRow key={`${p.key} ${p.is_out}`} draft={`${run.id}/${step.key}/${p.key}/${p.is_out}`} pair={p} goesBack={goesBack} move={move} />
        ))}
      </ul>
      {goesBack && !out.length && <Message>Everything is back in service.</Message>}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}

interface RowProps {
  draft: string;
  pair: PairOf;
  goesBack: boolean;
  move: (pair: string, to: Way, terminal: string, done: () => void) => void;
}

/** One thing that is moved; of a wire the terminal is typed, and Enter in its field moves it. */
function PairRow({ draft, pair: p, goesBack, move }: RowProps) {
  const [terminal, setTerminal] = useDraft(draft);
  const to: Way = p.is_out ? "back" : "out";
  const go = () => move(p.key, to, terminal, () => setTerminal(""));
  const asks = p.has_terminal && (p.is_out || !goesBack);
  return (
    <li
      data-waits={asks && p.is_out === goesBack ? "" : undefined}
      className={`flex flex-wrap items-center justify-between gap-x-4 gap-y-1 border-b border-rule border-l-8 px-3 py-1 ${p.is_out ? "border-l-amber bg-amber-soft" : "border-l-transparent"}`}
    >
      <span className={p.has_terminal ? "basis-full" : "flex-1"}>
        <span className="font-bold">{p.label}</span>{" "}
        <span className={p.has_terminal ? "text-sm" : "block text-sm"}>
          {p.is_out ? (
            <>
              <TriangleAlert size={16} aria-hidden="true" className="mr-1 inline text-amber" />
              at “{p.test}”{p.terminal && `, from terminal ${p.terminal}`}, moved by {p.by}
            </>
          ) : (
            `at “${p.normal}”${p.terminal && `, terminal ${p.terminal}`}`
          )}
        </span>
      </span>
      {asks && (
        <span
          className="flex-1"
          onKeyDown={(e) => {
            if (e.key !== "Enter") return;
            e.preventDefault();
            go();
          }}
        >
          <TextField label={p.is_out ? "Back on terminal" : "From terminal"} value={terminal} onChange={setTerminal} beside />
        </span>
      )}
      {p.is_out ? (
        <Button onClick={go} kind={goesBack ? "primary" : "plain"} label={`${p.label}: moved back`}>
          <CornerDownLeft size={18} aria-hidden="true" /> Moved back to “{p.normal}”
        </Button>
      ) : (
        !goesBack && (
          <Button onClick={go} label={`${p.label}: moved to test`}>
            Moved to “{p.test}”
          </Button>
        )
      )}
    </li>
  );
}
