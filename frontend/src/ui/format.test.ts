import { describe, expect, it } from "vitest";
import { clock, countdown, day, setZone, signedPercent, span } from "./format";

describe("times", () => {
  it("are shown in the plant's zone, dates without one as they are", () => {
    setZone("Europe/Lisbon");
    expect(clock("2026-07-01T10:05:00Z")).toBe("11:05");
    expect(clock("2026-12-01T10:05:00Z")).toBe("10:05");
    expect(day("2026-12-31")).toBe("31 Dec 2026");
    expect(clock(null)).toBe("");
  });
  it("have durations in words", () => {
    expect(span(40_000)).toBe("40 s");
    expect(span(59 * 60_000)).toBe("59 min");
    expect(span(65 * 60_000)).toBe("1 h 05 min");
    expect(countdown(299_500)).toBe("05:00");
    expect(countdown(-5)).toBe("00:00");
  });
});

describe("errors", () => {
  it("carry a sign and a unit, and a rounded zero has no sign", () => {
    expect(signedPercent(0.256)).toBe("+0.26 %");
    expect(signedPercent(-0.256)).toBe("−0.26 %");
    expect(signedPercent(-0.001)).toBe("0.00 %");
    expect(signedPercent(null)).toBe("");
  });
});
