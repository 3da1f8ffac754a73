import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { sessionQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { CodeField, NO_PROOF } from "../../ui/Proof";

type Act = Schemas["DeviceActRequest"]["act"];
const KEY = ["second-factor"];

/** The device of one's own that shows one-time codes: set up, proved, taken off. */
export function Device() {
  const queries = useQueryClient();
  const found = useQuery({ queryKey: KEY, queryFn: () => unwrap(client.GET("/api/v1/second-factor/")), staleTime: 60_000 });
  const [proof, prove] = useState(NO_PROOF);
  const act = useMutation({
    mutationFn: (what: Act) => unwrap(client.POST("/api/v1/second-factor/", { body: { act: what, ...proof } })),
    onSuccess: (now) => {
      prove(NO_PROOF);
      queries.setQueryData(KEY, now);
      void queries.invalidateQueries({ queryKey: sessionQuery.queryKey });
    },
  });
  if (found.isPending) return <Loading what="your device" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  const d = found.data;
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  const isBegun = d.secret !== "";
  const code = <CodeField value={proof.one_time} onChange={(one_time) => prove({ ...proof, one_time })} error={errors.one_time} autoFocus={isBegun} />;
  const password = (
    <TextField label="Your password, for the device" type="password" autoComplete="current-password" value={proof.password} onChange={(text) => prove({ ...proof, password: text })} error={errors.password} />
  );
  const form = (what: Act, says: string, fields: ReactNode) => (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (!act.isPending) act.mutate(what);
      }}
    >
      {fields}
      <Button kind={what === "take off" ? "plain" : "primary"} type="submit" disabled={act.isPending}>
        {says}
      </Button>
    </form>
  );
  return (
    <section aria-label="Device for one-time codes" className="space-y-4 border-t border-rule pt-4">
      <h2 className="text-xl font-bold">Your device for one-time codes</h2>
      {d.is_wanted && <Message tone="edge">This plant asks you for one-time codes. Set up an application for them, on a device that stays with you.</Message>}
      {d.since ? (
        <>
          <p>
            Set up on {moment(d.since)}. It is asked for when you sign in. {d.is_proved ? "A code was given in this session." : "No code was given in this session yet."}
          </p>
          {d.is_proved ? (
            <details>
              <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">Take it off</summary>
              <p className="pb-3">With your password and its next code.</p>
              {form("take off", "Take it off", <>{password}{code}</>)}
            </details>
          ) : (
            form("prove", "Give the code", code)
          )}
          <p className="text-sm text-muted">Where it is lost, somebody who looks after people takes it off.</p>
        </>
      ) : isBegun ? (
        <>
          <p>Scan this with the application, or type the key into it. It is not shown again.</p>
          <img src={d.picture} alt="Key of the device, to be scanned" className="size-56 bg-white" />
          <p className="break-all font-mono">{d.secret.replace(/(.{4})(?=.)/g, "$1 ")}</p>
          {form("confirm", "It shows this code", code)}
        </>
      ) : (
        form("begin", "Set up a device", password)
      )}
      {act.isError && !errors.one_time && !errors.password && <Failure error={act.error} />}
    </section>
  );
}
