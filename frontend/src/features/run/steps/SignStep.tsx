import { client, unwrap } from "../../../api/client";
import { usePerson } from "../../../app/session";
import { Button } from "../../../ui/Button";
import { LongField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { ProofFields } from "../../../ui/Proof";
import { StepFrame, type StepProps } from "../StepFrame";
import { useSigning } from "../useSigning";

export function SignStep({ run, step }: StepProps) {
  const person = usePerson();
  const { note, setNote, proof, prove, sign } = useSigning(run.id, `${step.key}/note`, (proof, note) =>
    unwrap(
      client.POST("/api/v1/runs/{run_id}/sign/", {
        params: { path: { run_id: run.id } },
        body: { expected_seq: run.view.seq, ...proof, note },
      }),
    ),
  );
  const returned = run.view.notes.filter((n) => n.kind === "returned").at(-1);
  return (
    <StepFrame
      step={step}
      onSubmit={() => !sign.isPending && sign.mutate()}
      action={
        <Button kind="primary" type="submit" large disabled={sign.isPending}>
          Sign as {person.name}
        </Button>
      }
    >
      {returned && (
        <Message tone="edge" title={`Returned by ${returned.by}`}>
          {returned.text} Answer with a note, then sign again.
        </Message>
      )}
      {run.view.blocks.length > 0 && (
        <Message tone="out" title="Not yet">
          <ul>
            {run.view.blocks.map((b) => (
              <li key={b}>{b}</li>
            ))}
          </ul>
        </Message>
      )}
      <div className="max-w-lg space-y-4">
        <LongField label="Notes for the record (may be left empty)" value={note} onChange={setNote} rows={3} />
        <ProofFields label="Your password" name="signature" proof={proof} onChange={prove} autoFocus />
      </div>
      {sign.isError && <Failure error={sign.error} />}
    </StepFrame>
  );
}
