import { useState } from "react";
import type { Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import type { Carried } from "../run/useRun";
import { useSecond } from "./useSecond";

interface Props {
  run: Run;
  payload: Carried<"adjustment_made">;
  needsSecond: boolean;
  needsProof: boolean;
  record: (more: Partial<Carried<"adjustment_made">>) => void;
  onDone: () => void;
}

/** Accept what the rules refuse: with a reason, where it is asked for with proof of the gas and a second person's password, and flagged on the record. */
export function ForceForm({ run, payload, needsSecond, needsProof, record, onDone }: Props) {
  const { send, fields } = useSecond(run, "adjustment_made", onDone);
  const [reason, setReason] = useState("");
  const [proof, setProof] = useState("");
  const told = { force_reason: reason, ...(needsProof ? { gas_proof: proof } : {}) };
  return (
    <div className="mt-2 max-w-2xl space-y-3">
      <TextField label="Why it must be forced" value={reason} onChange={setReason} />
      {needsProof && <TextField label="How the gas was proved" hint="Another bottle, another detector on it, the certificate seen." value={proof} onChange={setProof} />}
      {needsSecond && <div className="grid grid-cols-2 gap-4">{fields}</div>}
      {send.isError && <Failure error={send.error} />}
      <Button kind="danger" onClick={() => (needsSecond ? send.mutate({ ...payload, ...told }) : record(told))} disabled={reason.trim().length < 2 || send.isPending}>
        Force it, flagged on the record
      </Button>
    </div>
  );
}
