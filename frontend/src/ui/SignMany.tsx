import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure } from "../api/client";
import { usePerson } from "../app/session";
import { Button } from "./Button";
import { TextField } from "./fields";
import { Failure } from "./Message";
import { Modal } from "./Modal";

/** One signature on several records: the password asked once, kept nowhere. */
export function SignMany<T>({ count, send, onSigned }: { count: number; send: (password: string) => Promise<T>; onSigned: (next: T) => void }) {
  const person = usePerson();
  const [open, setOpen] = useState(false);
  const [password, setPassword] = useState("");
  const sign = useMutation({
    mutationFn: () => send(password),
    onSuccess: (next) => {
      setOpen(false);
      onSigned(next);
    },
    onSettled: () => setPassword(""),
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
          <TextField label="Password" type="password" value={password} onChange={setPassword} error={errors.password} autoFocus autoComplete="current-password" />
          {sign.isError && !errors.password && <Failure error={sign.error} />}
          <Button kind="primary" type="submit" large disabled={sign.isPending || !password}>
            Sign as {person.name}
          </Button>
        </form>
      </Modal>
    </>
  );
}
