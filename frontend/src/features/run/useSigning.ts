import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { Run } from "../../api/client";
import { NO_PROOF, type Proof } from "../../ui/Proof";
import { useDraft } from "../../ui/useDraft";
import { useTakeRun } from "./useRun";

/** A name put under a run: its note, who somebody is once more, and the sending. A refused proof is typed anew; the note stays. */
export function useSigning<Given = void>(id: string, draft: string, send: (proof: Proof, note: string, given: Given) => Promise<Run>) {
  const { take, notice } = useTakeRun(id);
  const [note, setNote] = useDraft(`${id}/${draft}`);
  const [proof, prove] = useState(NO_PROOF);
  const sign = useMutation({
    mutationFn: (given: Given) => send(proof, note, given),
    onSuccess: (next) => {
      setNote("");
      take(next);
    },
    onError: (error) => {
      prove(NO_PROOF);
      notice(error);
    },
  });
  return { note, setNote, proof, prove, sign };
}
