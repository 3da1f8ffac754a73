import { QueryClient } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import { ApiFailure, type Run } from "../../api/client";
import { runAt } from "../../test/run";
import { isUncertain, newer, whole, withHoldsOf } from "./useRun";

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

describe("a run after an append", () => {
  const held = runAt({}, { seq: 4, notes: [] });
  const about = { id: held.id, number: held.number, head: held.head, technician: held.technician, kit_out: held.kit_out, broken: held.broken };
  it("keeps of the view what did not change, and takes what did", () => {
    const next = whole(held, { ...about, head: "newer", view: null, changed: { seq: 5 } });
    expect(next.head).toBe("newer");
    expect(next.view).toEqual({ ...held.view, seq: 5 });
    expect(next).not.toHaveProperty("changed");
  });
  it("takes the whole view where the server could not tell what changed", () => {
    const fresh = runAt({}, { seq: 9 }).view;
    expect(whole(held, { ...about, view: fresh, changed: null }).view).toBe(fresh);
  });
});

describe("two answers about a run", () => {
  it("the newer counts, in whichever order they come; of two alike the later one, since holds and reviews are told in it too", () => {
    const four = runAt({}, { seq: 4 });
    const five = runAt({}, { seq: 5 });
    const again = runAt({}, { seq: 5 });
    expect(newer(five, four)).toBe(five);
    expect(newer(four, five)).toBe(five);
    expect(newer(five, again)).toBe(again);
    expect(newer(undefined, four)).toBe(four);
  });
});

describe("a run whose last append was not answered", () => {
  const failed = async (error: unknown) => {
    const queries = new QueryClient();
    const sent = queries.getMutationCache().build(queries, { mutationKey: ["append", "r1"], mutationFn: () => Promise.reject(error), retry: false });
    await sent.execute(undefined).catch(() => undefined);
    return queries;
  };
  it("is not fetched anew until it is known whether that was stored", async () => {
    const lost = await failed(new ApiFailure(0, { code: "no_connection" }));
    expect(isUncertain(lost, "r1")).toBe(true);
    expect(isUncertain(lost, "r2")).toBe(false);
  });
  it("is fetched as ever where the server said no", async () => {
    expect(isUncertain(await failed(new ApiFailure(400, { code: "stale" })), "r1")).toBe(false);
    expect(isUncertain(new QueryClient(), "r1")).toBe(false);
  });
});
