import type { Schemas } from "../../api/client";

export type Sheet = Schemas["Sheet"];
export type Result = Record<string, unknown>;

/** What was typed, as the calculation takes it: texts as they are (the server reads numbers, units and commas), and one row for each line. */
export function toInput(sheet: Sheet, values: Record<string, string>): Result {
  const out: Result = {};
  for (const f of sheet.fields) {
    const text = values[f.name] ?? f.start;
    if (text.trim() === "") continue;
    out[f.name] = f.kind === "rows" ? text.split("\n").filter((line) => line.trim()).map((line) => rowOf(line, f.columns)) : text;
  }
  return out;
}

/** One line as a row; a name that comes first may be of several words, and what is missing at the end is left out. */
function rowOf(line: string, columns: string[]): Record<string, string> {
  const parts = line.trim().split(/\s+/);
  const extra = parts.length - columns.length;
  const cells = extra > 0 && columns[0] === "name" ? [parts.slice(0, extra + 1).join(" "), ...parts.slice(extra + 1)] : parts;
  return Object.fromEntries(columns.slice(0, cells.length).map((c, n) => [c, cells[n] ?? ""]));
}

export function shown(value: unknown): string {
  if (typeof value === "number") return Number(value.toPrecision(7)).toString();
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (value === null || value === undefined) return "–";
  return typeof value === "object" ? JSON.stringify(value) : String(value as string);
}
