import { describe, expect, it } from "vitest";
import { paperTime } from "./paper";

describe("a time written on paper", () => {
  const today = new Date(2026, 10, 24, 15, 0);
  it("is of today unless its date is written", () => {
    expect(new Date(paperTime("10:32", today))).toEqual(new Date(2026, 10, 24, 10, 32));
    expect(paperTime("10:32", today)).toMatch(/^2026-11-24T10:32:00[+-]\d\d:\d\d$/); // in the time of the wall
    expect(new Date(paperTime("2026-11-20 9:05", today))).toEqual(new Date(2026, 10, 20, 9, 5));
  });
  it("is sent as it is when it can't be read, so that the server says why", () => {
    expect(paperTime("half past", today)).toBe("half past");
    expect(paperTime("  ", today)).toBe("no time");
  });
});
