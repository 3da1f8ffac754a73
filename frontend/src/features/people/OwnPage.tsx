import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap } from "../../api/client";
import { usePerson } from "../../app/session";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Message } from "../../ui/Message";
import { Device } from "./Device";
import { isChosen, NewPassword, NOT_CHOSEN } from "../signin/NewPassword";

/** One's own password, and the device for one-time codes. */
export function OwnPage() {
  const person = usePerson();
  const [password, setPassword] = useState("");
  const [chosen, choose] = useState(NOT_CHOSEN);
  const change = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/password/", { body: { password, new: chosen.password } })),
    onSuccess: () => {
      setPassword("");
      choose(NOT_CHOSEN);
    },
  });
  const errors = change.error instanceof ApiFailure ? change.error.byField : {};
  return (
    <div className="mx-auto max-w-md space-y-4 p-6">
      <h1 className="text-2xl font-bold">{person.name}</h1>
      <p className="text-muted">
        {person.username}, {person.role}
      </p>
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (isChosen(chosen)) change.mutate();
        }}
      >
        <h2 className="text-xl font-bold">Your password</h2>
        <p>It opens the door, and it is your signature.</p>
        <TextField label="The password of now" type="password" autoComplete="current-password" value={password} onChange={setPassword} error={errors.password} autoFocus />
        <NewPassword label="The new one" chosen={chosen} onChange={choose} error={errors.new} />
        {change.isError && !Object.keys(errors).length && <Failure error={change.error} />}
        {change.isSuccess && <Message>Your password is changed. Where else you were signed in, you are not any more.</Message>}
        <Button kind="primary" type="submit" large disabled={change.isPending || !password || !isChosen(chosen)}>
          Change it
        </Button>
      </form>
      <Device />
    </div>
  );
}
