import type { Asked } from "../../../api/client";

/** What a field holds: as typed, as the instrument told it, what it mostly is, or what was seen of something that may be left empty; the rest is only offered. */
export function held(f: Asked["fields"][number], values: Record<string, string>): string {
  return values[f.name] ?? (f.read || f.usual || (f.required ? "" : f.suggested));
}

/** All that the fields of a step hold, with what was offered filled in. */
export function heldValues(step: Asked, values: Record<string, string>): Record<string, string> {
  const seen = Object.fromEntries(step.fields.filter((f) => held(f, values)).map((f) => [f.name, held(f, values)]));
  return { ...seen, ...values };
}
