import { useQuery } from "@tanstack/react-query";
import { sessionQuery } from "../../api/queries";
import { TextField } from "../../ui/fields";

export interface Chosen {
  password: string;
  again: string;
}

export const NOT_CHOSEN: Chosen = { password: "", again: "" };

/** Whether a password was typed twice, the same each time. */
export function isChosen({ password, again }: Chosen): boolean {
  return password !== "" && password === again;
}

/** A password to be, typed twice; what makes it strong enough is told by the server. */
export function NewPassword({ chosen, onChange, error, label = "Password", autoFocus }: { chosen: Chosen; onChange: (chosen: Chosen) => void; error?: string; label?: string; autoFocus?: boolean }) {
  const rule = useQuery({ ...sessionQuery, staleTime: Infinity }).data?.password_rule;
  const differs = chosen.again !== "" && chosen.again !== chosen.password;
  return (
    <>
      <TextField label={label} type="password" autoComplete="new-password" hint={rule} value={chosen.password} onChange={(password) => onChange({ ...chosen, password })} error={error} autoFocus={autoFocus} />
      <TextField label={`${label} again`} type="password" autoComplete="new-password" value={chosen.again} onChange={(again) => onChange({ ...chosen, again })} error={differs ? "The two are not the same." : undefined} />
    </>
  );
}
