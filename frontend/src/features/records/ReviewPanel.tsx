import { client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { LongField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { ProofFields } from "../../ui/Proof";
import { useSigning } from "../run/useSigning";

/** A reviewer accepts a signed record, or returns it with a reason. */
export function ReviewPanel({ run }: { run: Run }) {
  const { note, setNote, proof, prove, sign } = useSigning<"accept" | "return">(run.id, "review", (proof, reason, verdict) =>
    unwrap(
      client.POST("/api/v1/runs/{run_id}/review/", {
        params: { path: { run_id: run.id } },
        body: { expected_seq: run.view.seq, verdict, reason, ...proof },
      }),
    ),
  );
  return (
    <section aria-label="Review" className="mt-4 border-l-8 border-water bg-page p-4">
      <h2 className="text-lg font-bold">Review</h2>
      <div className="mt-2 grid gap-4 lg:grid-cols-[minmax(0,1fr)_280px]">
        <LongField label="Note, or the reason for returning it" value={note} onChange={setNote} rows={2} />
        <ProofFields label="Your password" name="review-password" proof={proof} onChange={prove} />
      </div>
      {sign.isError && <Failure error={sign.error} />}
      <div className="mt-3 flex flex-wrap justify-end gap-3">
        <Button onClick={() => sign.mutate("return")} disabled={sign.isPending}>
          Return it
        </Button>
        <Button kind="primary" onClick={() => sign.mutate("accept")} disabled={sign.isPending}>
          Accept it
        </Button>
      </div>
    </section>
  );
}
