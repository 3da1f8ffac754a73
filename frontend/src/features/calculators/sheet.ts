import type { Schemas } from "../../api/client";

export type Sheet = Schemas["Sheet"];
export type Result = Record<string, unknown>;

function figure(text: string): number | string {
  const n = Number(text.trim().replace(",", "."));
  return text.trim() !== "" && Number.isFinite(n) ? n : text;
}

/** What was typed, as the calculation takes it: numbers, texts, lists, and one row for each line. */
export function toInput(sheet: Sheet, values: Record<string, string>): Result {
  const out: Result = {};
  for (const f of sheet.fields) {
    const text = values[f.name] ?? f.start;
    if (text.trim() === "") continue;
    if (f.kind === "list") out[f.name] = text;
    else if (f.kind === "rows") {
      out[f.name] = text
        .split("\n")
        .filter((line) => line.trim())
        .map((line) => {
          const parts = line.trim().split(/\s+/);
          const extra = parts.length - f.columns.length;
          const cells = extra > 0 && f.columns[0] === "name" ? [parts.slice(0, extra + 1).join(" "), ...parts.slice(extra + 1)] : parts;
          return Object.fromEntries(f.columns.map((c, n) => [c, ["name", "distribution", "direction"].includes(c) ? (cells[n] ?? "") : figure(cells[n] ?? "")]));
        });
    } else out[f.name] = f.kind === "number" ? figure(text) : text;
  }
  return out;
}

export function shown(value: unknown): string {
  if (typeof value === "number") return Number(value.toPrecision(7)).toString();
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (value === null || value === undefined) return "–";
  return typeof value === "object" ? JSON.stringify(value) : String(value as string);
}
