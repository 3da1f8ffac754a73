import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure } from "../api/client";
import { usePerson } from "../app/session";
import { Button } from "./Button";
import { Failure } from "./Message";
import { Modal } from "./Modal";
import { NO_PROOF, ProofFields, type Proof } from "./Proof";

/** One signature on several records: the password asked once, kept nowhere. */
export function SignMany<T>({ count, send, onSigned }: { count: number; send: (proof: Proof) => Promise<T>; onSigned: (next: T) => void }) {
  const person = usePerson();
  const [open, setOpen] = useState(false);
  const [proof, prove] = useState(NO_PROOF);
  const sign = useMutation({
    mutationFn: () => send(proof),
    onSuccess: (next) => {
      setOpen(false);
      onSigned(next);
    },
    onSettled: () => prove(NO_PROOF),
  });
  const errors = sign.error instanceof ApiFailure ? sign.error.byField : {};
  const what = `Sign ${count} ${count === 1 ? "record" : "records"}`;
  return (
    <>
      <Button kind="primary" large onClick={() => setOpen(true)}>
        {what}
      </Button>
      <Modal open={open} onClose={() => setOpen(false)} title={what}>
        <form
          className="space-y-4"
          onSubmit={(e) => {
            e.preventDefault();
            if (!sign.isPending) sign.mutate();
          }}
        >
          <p>Your password again makes this your signature on each of them. The records can’t be changed afterwards.</p>
          <ProofFields label="Password" proof={proof} onChange={prove} errors={errors} autoFocus />
          {sign.isError && !errors.password && !errors.one_time && <Failure error={sign.error} />}
          <Button kind="primary" type="submit" large disabled={sign.isPending || !proof.password}>
            Sign as {person.name}
          </Button>
        </form>
      </Modal>
    </>
  );
}
