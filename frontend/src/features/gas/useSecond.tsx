import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap, type Run } from "../../api/client";
import { TextField } from "../../ui/fields";
import { NO_PROOF, ProofFields } from "../../ui/Proof";
import { newId, useTakeRun, type Carried } from "../run/useRun";

/** An event that takes a second person who looked too: their name and password, and how it is sent with them. */
export function useSecond<Kind extends "adjustment_made" | "decision_made">(run: Run, type: Kind, onDone?: () => void) {
  const { take, notice } = useTakeRun(run.id);
  const [second, setSecond] = useState("");
  const [proof, prove] = useState(NO_PROOF);
  const send = useMutation({
    mutationFn: (payload: Carried<Kind>) =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/second/", {
          params: { path: { run_id: run.id } },
          body: { type, expected_seq: run.view.seq, id: newId(), payload, second, ...proof },
        }),
      ),
    onSuccess: (next) => {
      take(next);
      onDone?.();
    },
    onError: notice,
  });
  const fields = (
    <>
      <TextField label="Second person" value={second} onChange={setSecond} />
      <ProofFields label="Their password" proof={proof} onChange={prove} ofAnother />
    </>
  );
  return { send, fields };
}
