import { render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { ReadingSet, Row } from "../../api/client";
import { ErrorPlot, niceLimit } from "./ErrorPlot";

const row = (x: number, y: number, direction: string): Row =>
  ({ id: `${x}${direction}`, x, y, direction, verdict: Math.abs(y) > 0.5 ? "fail" : "pass", struck: null }) as Row;

const set = (phase: string, rows: Row[]): ReadingSet =>
  ({
    key: phase,
    title: phase === "as found" ? "As found" : "As left",
    phase,
    rows,
    columns: [{ key: "direction", label: "Way" }],
    plot: { x: "Applied, % of range", y: "Error, % of span", unit: "%", ticks: [0, 50, 100].map((p) => ({ x: p, label: String(p) })) },
    corridor: [0, 50, 100].map((x) => ({ x, tolerance: 0.5, adjust_limit: 0.35 })),
  }) as unknown as ReadingSet;

describe("the error plot", () => {
  it("names each series in words beside its shape", () => {
    render(<ErrorPlot sets={[set("as found", [row(0, 0.8, "up"), row(100, 0.2, "down")]), set("as left", [row(0, 0, "up")])]} />);
    for (const words of ["As found, up", "As found, down", "As left, up", "As left, down", "tolerance", "adjust limit"]) {
      expect(screen.getByText(words)).toBeTruthy();
    }
  });
  it("leaves out what has no place, such as struck readings", () => {
    const struck = { ...row(50, 0, "up"), x: null, y: null, struck: "slip" } as Row;
    const { container } = render(<ErrorPlot sets={[set("as found", [row(0, 0.1, "up"), struck])]} />);
    const plot = container.querySelector("svg[role=img]");
    expect(plot?.querySelectorAll("polygon").length).toBe(2); // the corridor and one mark
  });
  it("finds round limits with some room", () => {
    expect(niceLimit(0.5)).toBe(1);
    expect(niceLimit(0.9)).toBe(1);
    expect(niceLimit(1.2)).toBe(2);
    expect(niceLimit(0.021)).toBeCloseTo(0.025);
  });
});
