import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Session } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { NotStored } from "../../ui/NotStored";
import { CodeField } from "../../ui/Proof";
import { Frame } from "./Frame";

export function SignInForm({ onSignedIn, username = "" }: { onSignedIn: (session: Session) => void; username?: string }) {
  const [name, setName] = useState(username);
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const signIn = useMutation({
    mutationFn: async () => {
      await client.GET("/api/v1/session/"); // a fresh token belongs to the sign-in
      return unwrap(client.POST("/api/v1/session/", { body: { username: name.trim(), password, one_time: code } }));
    },
    onSuccess: onSignedIn,
  });
  const failure = signIn.error instanceof ApiFailure ? signIn.error : null;
  const isAsked = failure?.field === "one_time" || code !== "";
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        signIn.mutate();
      }}
    >
      <TextField label="Name" name="username" value={name} onChange={setName} autoComplete="username" autoFocus={!username} />
      <TextField
        label="Password"
        name="password"
        type="password"
        value={password}
        onChange={setPassword}
        autoComplete="current-password"
        autoFocus={Boolean(username)}
      />
      {isAsked && <CodeField value={code} onChange={setCode} error={failure?.field === "one_time" ? failure.message : undefined} autoFocus />}
      {signIn.isError && failure?.field !== "one_time" && <Failure error={signIn.error} />}
      <Button kind="primary" type="submit" large disabled={signIn.isPending || !name || !password} className="w-full">
        Sign in
      </Button>
    </form>
  );
}

export function SignInPage({ plant, onSignedIn }: { plant: string; onSignedIn: (session: Session) => void }) {
  return (
    <Frame plant={plant}>
      <NotStored />
      <SignInForm onSignedIn={onSignedIn} />
    </Frame>
  );
}
