import { ApiFailure } from "./client";

type Form = Record<string, unknown>;

/** The form as it was opened, with what another changed meanwhile as it is stored now, once that was told; of a form within it, as in 'details.gas'. */
export function nowSeen<T extends Form>(seen: T, error: unknown): T {
  if (!(error instanceof ApiFailure) || error.code !== "changed_meanwhile" || typeof error.details.now !== "object") return seen;
  const out: Form = { ...seen };
  for (const [name, value] of Object.entries(error.details.now as Form)) {
    const [head = "", ...inner] = name.split(".");
    if (inner.length) out[head] = { ...(out[head] as Form), [inner.join(".")]: value };
    else out[head] = value;
  }
  return out as T;
}
