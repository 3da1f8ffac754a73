/** Dates and durations in the plant's zone. Formatting only: nothing here decides anything. */

let zone: string | undefined;

export function setZone(name: string) {
  zone = name;
}

export function clock(iso: string | null | undefined): string {
  if (!iso) return "";
  return new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone: zone }).format(new Date(iso));
}

export function day(iso: string | null | undefined): string {
  if (!iso) return "";
  const isDate = iso.length === 10;
  return new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric", timeZone: isDate ? "UTC" : zone }).format(
    new Date(isDate ? `${iso}T00:00:00Z` : iso),
  );
}

export function moment(iso: string | null | undefined): string {
  return iso ? `${day(iso)}, ${clock(iso)}` : "";
}

/** The clock alone only where it can be no other day. */
export function when(iso: string | null | undefined): string {
  if (!iso) return "";
  return day(iso) === day(new Date().toISOString()) ? clock(iso) : moment(iso);
}

/** "1 h 05 min", "12 min", "40 s". */
export function span(ms: number): string {
  const s = Math.max(0, Math.round(ms / 1000));
  if (s < 60) return `${s} s`;
  const min = Math.floor(s / 60);
  if (min < 60) return `${min} min`;
  return `${Math.floor(min / 60)} h ${String(min % 60).padStart(2, "0")} min`;
}

/** "04:59" for a countdown. */
export function countdown(ms: number): string {
  const s = Math.max(0, Math.ceil(ms / 1000));
  return `${String(Math.floor(s / 60)).padStart(2, "0")}:${String(s % 60).padStart(2, "0")}`;
}

export function signedPercent(value: number | null): string {
  if (value === null) return "";
  const text = Math.abs(value).toFixed(2);
  return Number(text) === 0 ? "0.00 %" : `${value > 0 ? "+" : "−"}${text} %`;
}

export const VERDICT_WORDS: Record<string, string> = { pass: "pass", marginal: "marginal", fail: "fail" };
