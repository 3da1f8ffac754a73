import { render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { CurvePlot, ticks } from "./CurvePlot";
import { shown, toInput, type Sheet } from "./sheet";

function sheet(fields: Partial<Sheet["fields"][number]>[]): Sheet {
  const whole = fields.map((f) => ({ name: "", label: "", unit: "", kind: "number", start: "", options: [], columns: [], required: true, ...f }));
  return { name: "x", title: "X", purpose: "", group: "", fields: whole, outputs: [], formula: "", source: "", inverse: "", plot: null };
}

describe("what was typed, as a calculation takes it", () => {
  it("leaves what was typed to the server, and leaves out what is empty", () => {
    const s = sheet([{ name: "a", start: "1" }, { name: "b", start: "2" }, { name: "c", kind: "choice", start: "pt-a" }]);
    expect(toInput(s, { a: "3,5", b: " " })).toEqual({ a: "3,5", c: "pt-a" });
    expect(toInput(s, { a: "1,234" })).toMatchObject({ a: "1,234" }); // which may be two numbers, and is asked about
    expect(toInput(s, { a: "abc" })).toMatchObject({ a: "abc" });
  });

  it("leaves out of a row what is missing at its end", () => {
    const s = sheet([{ name: "history", kind: "rows", columns: ["day", "found", "left"], start: "" }]);
    expect(toInput(s, { history: "0 5\n90 7 1" })).toEqual({ history: [{ day: "0", found: "5" }, { day: "90", found: "7", left: "1" }] });
  });

  it("reads one row a line, names with blanks included", () => {
    const s = sheet([{ name: "components", kind: "rows", columns: ["name", "value", "distribution"], start: "" }]);
    expect(toInput(s, { components: "input reference 0,1 normal\n\nresolution 0.05 rectangular" })).toEqual({
      components: [
        { name: "input reference", value: "0,1", distribution: "normal" },
        { name: "resolution", value: "0.05", distribution: "rectangular" },
      ],
    });
  });
});

describe("results", () => {
  it("are shown with seven digits, in words where they are no numbers", () => {
    expect(shown(10.503123456)).toBe("10.50312");
    expect(shown(true)).toBe("yes");
    expect(shown(null)).toBe("–");
  });
});

describe("the curve", () => {
  it("has ticks at round numbers", () => {
    expect(ticks(0, 100, 5)).toEqual([0, 20, 40, 60, 80, 100]);
    expect(ticks(-0.31, 0.29, 5)).toEqual([-0.2, 0, 0.2]);
  });

  it("marks the place that is asked for, and not one outside", () => {
    const points: [number, number][] = [[0, 0], [50, 1], [100, 4]];
    const { container, rerender } = render(<CurvePlot points={points} band={false} at={50} x="t C" y="E mV" />);
    expect(screen.getByRole("img").getAttribute("aria-label")).toBe("E mV over t C");
    expect(container.querySelectorAll("circle")).toHaveLength(1);
    rerender(<CurvePlot points={points} band at={500} x="t C" y="E mV" />);
    expect(container.querySelectorAll("circle")).toHaveLength(0);
    expect(container.querySelectorAll("path")).toHaveLength(3);
  });
});
