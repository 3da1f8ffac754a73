import { describe, expect, it } from "vitest";
import { broken, scaleFor } from "./scale";
import { grow, type Frame } from "./useLive";

function frame(now: number, t: number | null, v: number | null): Frame {
  const row = { label: "Loop", unit: "mA", t, v, text: "", status: "not yet", says: "", mean: null, response: "" };
  return { now, seq: 1, slot: 0, since: 0, window_s: 5, rows: { indicated: row } };
}

describe("the trace", () => {
  it("grows by new samples only and lets go of what is older than two minutes", () => {
    let traces = grow({}, frame(100, 99.9, 4.0));
    traces = grow(traces, frame(100.1, 99.9, 4.0));
    expect(traces.indicated).toEqual([[99.9, 4.0]]);
    traces = grow(traces, frame(100.2, 100.2, 4.1));
    expect(traces.indicated).toHaveLength(2);
    expect(grow(traces, frame(220.1, 220.1, 5)).indicated).toEqual([
      [100.2, 4.1],
      [220.1, 5],
    ]);
  });

  it("stands still while a source is lost", () => {
    const traces = grow({ indicated: [[100, 4]] }, frame(101, null, null));
    expect(traces.indicated).toEqual([[100, 4]]);
  });
});

describe("a trace with a hole", () => {
  it("breaks where nothing came for more than three seconds, and nowhere else", () => {
    expect(broken([[10, 1], [13, 2]], 20)).toEqual([[-10, -7], [1, 2]]);
    expect(broken([[10, 1], [13.1, 2]], 20)).toEqual([[-10, -8.45, -6.9], [1, null, 2]]);
    expect(broken([], 20)).toEqual([[], []]);
  });
});

describe("the scale", () => {
  it("never zooms into the noise: a few settle limits are always in view", () => {
    const [low, high] = scaleFor(11.9999, 12.0001, 0.008);
    expect(high - low).toBeCloseTo(0.064, 6);
    expect((low + high) / 2).toBeCloseTo(12, 6);
  });

  it("leaves air around a large change", () => {
    const [low, high] = scaleFor(4, 20, 0.008);
    expect(low).toBeLessThan(4);
    expect(high).toBeGreaterThan(20);
  });
});
