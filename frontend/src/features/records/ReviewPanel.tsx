import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { LongField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { NO_PROOF, ProofFields } from "../../ui/Proof";
import { useDraft } from "../../ui/useDraft";
import { useTakeRun } from "../run/useRun";

/** A reviewer accepts a signed record, or returns it with a reason. */
export function ReviewPanel({ run }: { run: Run }) {
  const { take, notice } = useTakeRun(run.id);
  const [reason, setReason] = useDraft(`${run.id}/review`);
  const [proof, prove] = useState(NO_PROOF);
  const review = useMutation({
    mutationFn: (verdict: "accept" | "return") =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/review/", {
          params: { path: { run_id: run.id } },
          body: { expected_seq: run.view.seq, verdict, reason, ...proof },
        }),
      ),
    onSuccess: (next) => {
      setReason("");
      take(next);
    },
    onError: (error) => {
      prove(NO_PROOF);
      notice(error);
    },
  });
  return (
    <section aria-label="Review" className="mt-4 border-l-8 border-water bg-page p-4">
      <h2 className="text-lg font-bold">Review</h2>
      <div className="mt-2 grid gap-4 lg:grid-cols-[minmax(0,1fr)_280px]">
        <LongField label="Note, or the reason for returning it" value={reason} onChange={setReason} rows={2} />
        <ProofFields label="Your password" name="review-password" proof={proof} onChange={prove} />
      </div>
      {review.isError && <Failure error={review.error} />}
      <div className="mt-3 flex flex-wrap justify-end gap-3">
        <Button onClick={() => review.mutate("return")} disabled={review.isPending}>
          Return it
        </Button>
        <Button kind="primary" onClick={() => review.mutate("accept")} disabled={review.isPending}>
          Accept it
        </Button>
      </div>
    </section>
  );
}
