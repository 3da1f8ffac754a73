import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { Button } from "../../ui/Button";
import { Failure, Loading, Message } from "../../ui/Message";
import { Frame } from "./Frame";
import { isChosen, NewPassword, NOT_CHOSEN } from "./NewPassword";

/** Reached by a link that an administrator made: a password is set, once. */
export function EnterPage({ secret, plant }: { secret: string; plant: string }) {
  const path = { params: { path: { secret } } };
  const link = useQuery({ queryKey: ["entry", secret], queryFn: () => unwrap(client.GET("/api/v1/entry/{secret}/", path)), retry: false, refetchOnWindowFocus: false });
  const [chosen, choose] = useState(NOT_CHOSEN);
  const enter = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/entry/{secret}/", { ...path, body: { new: chosen.password } })) });
  const error = enter.error instanceof ApiFailure ? enter.error.byField.new : undefined;
  if (link.isPending) return <Loading what="your link" />;
  if (enter.isSuccess) {
    return (
      <Frame plant={plant}>
        <Message>Your password is set.</Message>
        <Link to="/" className="inline-flex min-h-14 items-center font-bold text-water underline">
          Sign in as {link.data?.username}
        </Link>
      </Frame>
    );
  }
  if (link.isError) {
    return (
      <Frame plant={plant}>
        <Failure error={link.error} />
      </Frame>
    );
  }
  return (
    <Frame plant={plant}>
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (isChosen(chosen)) enter.mutate();
        }}
      >
        <p>
          Welcome, <strong>{link.data.name}</strong>. Your user name is <strong>{link.data.username}</strong>. Choose a password: it opens the door, and it is your signature.
        </p>
        <NewPassword chosen={chosen} onChange={choose} error={error} autoFocus />
        {enter.isError && !error && <Failure error={enter.error} />}
        <Button kind="primary" type="submit" large disabled={enter.isPending || !isChosen(chosen)} className="w-full">
          Set it
        </Button>
      </form>
    </Frame>
  );
}
