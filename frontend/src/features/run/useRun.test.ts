import { describe, expect, it } from "vitest";
import type { Run } from "../../api/client";
import { runAt } from "../../test/run";
import { withHoldsOf } from "./useRun";

const hold = (id: string, until: string, released: string | null = null): Run["view"]["holds"][number] => ({
  id, kind: "inhibit", reason: "Calibration", placed_at: "2026-11-23T08:00:00Z", placed_by: "Ines", until, released_at: released,
  released_by: "", is_overdue: false, release_values: {}, holder: "ines", holder_name: "Ines", agreement: "", extended: [],
});
const other = { ...withHoldsOf(runAt({}, { holds: [hold("x", "2026-11-23T09:00:00Z")] }), [])[0], run: "another", tag: "PT-9" } as ReturnType<typeof withHoldsOf>[number];

describe("the holds of the strip", () => {
  it("gain a run's hold at once, those due back first on top", () => {
    const rows = withHoldsOf(runAt({}, { holds: [hold("a", "2026-11-23T08:30:00Z")] }), [other]);
    expect(rows.map((r) => r.tag)).toEqual(["PT-1", "PT-9"]);
  });
  it("lose it at once when it is released, and never list it twice", () => {
    const open = runAt({}, { holds: [hold("a", "2026-11-23T08:30:00Z")] });
    const twice = withHoldsOf(open, withHoldsOf(open, [other]));
    expect(twice.length).toBe(2);
    const released = runAt({}, { holds: [hold("a", "2026-11-23T08:30:00Z", "2026-11-23T08:20:00Z")] });
    expect(withHoldsOf(released, twice).map((r) => r.tag)).toEqual(["PT-9"]);
  });
});
