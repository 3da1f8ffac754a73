import { useQuery } from "@tanstack/react-query";
import { sessionQuery } from "../api/queries";
import { TextField } from "./fields";

/** Who somebody is, once more: what makes a signature. */
export interface Proof {
  password: string;
  one_time: string;
}

export const NO_PROOF: Proof = { password: "", one_time: "" };

interface Props {
  label: string;
  proof: Proof;
  onChange: (proof: Proof) => void;
  errors?: Record<string, string>;
  name?: string;
  autoFocus?: boolean;
  /** Another person's, whose password no browser fills in. */
  ofAnother?: boolean;
}

/** The password, and where the plant wants it the code that one's own device shows. */
export function ProofFields({ label, proof, onChange, errors = {}, name, autoFocus, ofAnother }: Props) {
  const asks = useQuery({ ...sessionQuery, enabled: false }).data?.signs_with_code ?? false;
  return (
    <>
      <TextField
        label={label}
        type="password"
        name={name}
        value={proof.password}
        onChange={(password) => onChange({ ...proof, password })}
        error={errors.password}
        autoComplete={ofAnother ? "off" : "current-password"}
        autoFocus={autoFocus}
      />
      {asks && <CodeField label={ofAnother ? "Code of their device" : "Code of your device"} value={proof.one_time} onChange={(one_time) => onChange({ ...proof, one_time })} error={errors.one_time} />}
    </>
  );
}

export function CodeField({ label = "Code of your device", ...p }: { label?: string; value: string; onChange: (code: string) => void; error?: string; autoFocus?: boolean }) {
  return <TextField label={label} hint="Six digits; each counts once" autoComplete="one-time-code" numeric {...p} />;
}
