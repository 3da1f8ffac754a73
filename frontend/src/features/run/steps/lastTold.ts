/** Names that are typed again and again in a shift, such as of the operator who was told: offered on this device for as long as one lasts. */
const NAMES = ["operator"];
const SHIFT_MS = 12 * 3_600_000;

export function lastTold(field: string): string {
  if (!NAMES.includes(field)) return "";
  try {
    const { name, at } = JSON.parse(localStorage.getItem(`told:${field}`) ?? "{}") as { name?: string; at?: number };
    return name && at && Date.now() - at < SHIFT_MS ? name : "";
  } catch {
    return "";
  }
}

export function keepTold(values: Record<string, string>) {
  for (const field of NAMES) {
    const name = values[field]?.trim();
    try {
      if (name) localStorage.setItem(`told:${field}`, JSON.stringify({ name, at: Date.now() }));
    } catch {
      // Storage may be full or forbidden; the name is typed again then.
    }
  }
}
