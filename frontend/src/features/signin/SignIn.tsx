import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap, type Session } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { Ring } from "../../ui/Ring";

export function SignInForm({ onSignedIn, username = "" }: { onSignedIn: (session: Session) => void; username?: string }) {
  const [name, setName] = useState(username);
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: async () => {
      await client.GET("/api/v1/session/"); // a fresh token belongs to the sign-in
      return unwrap(client.POST("/api/v1/session/", { body: { username: name.trim(), password } }));
    },
    onSuccess: onSignedIn,
  });
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
      {signIn.isError && <Failure error={signIn.error} />}
      <Button kind="primary" type="submit" large disabled={signIn.isPending || !name || !password} className="w-full">
        Sign in
      </Button>
    </form>
  );
}

export function SignInPage({ plant, onSignedIn }: { plant: string; onSignedIn: (session: Session) => void }) {
  return (
    <main className="grid min-h-screen place-items-center bg-salt p-6">
      <div className="w-full max-w-md">
        <div className="mb-6 flex items-center gap-3">
          <Ring closed={0.86} size={52} state="open" />
          <div>
            <h1 className="text-3xl font-bold">Verify Loop</h1>
            <p className="text-muted">{plant}</p>
          </div>
        </div>
        <div className="border-t-2 border-slate bg-page p-6">
          <SignInForm onSignedIn={onSignedIn} />
        </div>
        <p className="mt-4 text-sm text-muted">Site procedures, permits, local codes and licensed practice rule over this software.</p>
      </div>
    </main>
  );
}
