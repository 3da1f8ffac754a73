import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Session } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { useKept } from "../../ui/useKept";
import { Frame } from "./Frame";
import { isChosen, NewPassword, NOT_CHOSEN } from "./NewPassword";

const ZONES = Intl.supportedValuesOf("timeZone");

/** The first visit to an empty plant: what it is called, where it lies, and who looks after it. */
export function FirstStart({ onSignedIn }: { onSignedIn: (session: Session) => void }) {
  const kept = useKept("first-start", { plant: "", zone: Intl.DateTimeFormat().resolvedOptions().timeZone, first_name: "", last_name: "", username: "" });
  const { form } = kept;
  const [code, setCode] = useState(""); // secrets are never kept on the device
  const [chosen, choose] = useState(NOT_CHOSEN);
  const change = (name: keyof typeof form) => (value: string) => kept.set((old) => ({ ...old, [name]: value }));
  const setUp = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/first-start/", { body: { ...form, code, password: chosen.password } })),
    onSuccess: (session) => {
      kept.stored();
      onSignedIn(session);
    },
  });
  const errors = setUp.error instanceof ApiFailure ? setUp.error.byField : {};
  const text = (name: "plant" | "first_name" | "last_name" | "username", label: string, more: { hint?: string; autoFocus?: boolean } = {}) => (
    <TextField label={label} value={form[name]} onChange={change(name)} error={errors[name]} {...more} />
  );
  return (
    <Frame plant="An empty plant" wide>
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          if (isChosen(chosen)) setUp.mutate();
        }}
      >
        <p>Nobody is here yet. Say what the plant is called and who looks after it; everything else follows inside.</p>
        <TextField label="Code" hint="The server printed it when it was started" value={code} onChange={setCode} error={errors.code} numeric autoFocus />
        <div className="grid items-start gap-4 sm:grid-cols-2">
          {text("plant", "The plant’s name", { hint: "It stands on every certificate" })}
          <ChoiceField label="Time zone" value={form.zone} onChange={change("zone")} options={[...new Set([form.zone, ...ZONES])].map((z) => ({ value: z, label: z }))} error={errors.zone} />
          {text("first_name", "First name of the first administrator")}
          {text("last_name", "Last name")}
          {text("username", "User name", { hint: "To sign in with; it stays" })}
          <span />
          <NewPassword chosen={chosen} onChange={choose} error={errors.password} />
        </div>
        {setUp.isError && !Object.keys(errors).length && <Failure error={setUp.error} />}
        <Button kind="primary" type="submit" large disabled={setUp.isPending || !isChosen(chosen)} className="w-full">
          Set the plant up
        </Button>
      </form>
    </Frame>
  );
}
