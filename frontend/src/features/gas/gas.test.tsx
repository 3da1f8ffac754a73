import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { pretendServer, show } from "../../test/render";
import { runAt } from "../../test/run";
import { CheckpairsStep } from "../run/steps/CheckpairsStep";
import { Exposure } from "./Exposure";
import { GasStep } from "./GasStep";
import { Keys } from "./Keys";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const pair = (is_out: boolean) => ({ key: "selector", label: "Selector switch", normal: "operate", test: "test", is_out, can_go_out: false, by: is_out ? "Ines" : "", has_terminal: false, terminal: "" });
const field = (name: string, label: string) => ({ name, label, kind: "gas", unit: "%LEL", required: true, hint: "", options: [], suggested: "", usual: "", beside: [], read: "" });
const bottle = (code: string, standing: string, says: string) => ({
  code, name: "Gas", holds: "50 %LEL hydrogen in air", litres_left: 40, expires_on: "2027-06-01", certificate: "C", state: "in service", standing,
  applied: "50 %LEL", remarks: [{ rule: "component", standing, says }], is_proposed: standing === "good", regulator: "V-1", line: "L-1",
});

describe("what is moved for a test", () => {
  it("is noted when it goes out and asked for when it comes back", async () => {
    const run = runAt({ key: "pairs_back", kind: "checkpairs", pairs: [pair(true)] });
    const server = pretendServer({ [`POST /api/v1/runs/${run.id}/events/`]: { body: runAt({ key: "pairs_back", pairs: [pair(false)] }) } });
    show(<CheckpairsStep run={run} step={run.view.step} />);
    expect(screen.getByText(/moved by Ines/)).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Selector switch: moved back" }));
    await waitFor(() => expect(server.asked.length).toBeGreaterThan(0));
  });
  it("can't go out at the step that brings it back", () => {
    const run = runAt({ key: "pairs_back", kind: "checkpairs", pairs: [pair(false)] });
    show(<CheckpairsStep run={run} step={run.view.step} />);
    expect(screen.queryByRole("button", { name: /moved to test/ })).toBeNull();
    expect(screen.getByText("Everything is back in service.")).toBeTruthy();
  });
});

describe("choosing gas", () => {
  it("proposes the best bottle and says why another can't be used", async () => {
    const run = runAt({ key: "gas", kind: "confirm", fields: [field("span", "Span gas")] });
    const options = {
      role: "span", label: "Span gas", litres: 4.2, flow: 0.5, regulators: [{ code: "V-1", words: "V-1: stainless" }], lines: [{ code: "L-1", words: "L-1: PTFE" }],
      bottles: [bottle("G-1", "good", "holds hydrogen"), bottle("G-2", "refuse", "expired on 2026-01-01")],
    };
    pretendServer({ [`GET /api/v1/runs/${run.id}/gas/span/`]: { body: options } });
    show(<GasStep run={run} step={run.view.step} />);
    expect(await screen.findByText("best there is")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Use G-1" })).toBeTruthy();
    expect(screen.queryByText("expired on 2026-01-01")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Show 1 that can’t be used, and why" }));
    expect(screen.getByText("expired on 2026-01-01")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Try G-2" })).toBeTruthy();
  });
});

describe("an exposure", () => {
  it("is told with its class and what its trace gave away", () => {
    const onGas = vi.fn();
    show(<Exposure exposure={{ kind: "no response", plateau: 0, peak: 1.2, t90_s: null, is_step: true, percent: 2, remarks: ["Nothing has come."] }} onGas={onGas} />);
    expect(screen.getByText("No response")).toBeTruthy();
    expect(screen.getByText("Nothing has come.")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Gas is on now" }));
    expect(onGas).toHaveBeenCalled();
  });
});

describe("the keys of a detector", () => {
  it("are there only where the bench has some", async () => {
    const run = runAt({}, { gases: [{ role: "zero", label: "Zero gas", bottle: "G", name: "", certificate: "", expires_on: "", regulator: "", line: "", applied: "", litres: "", reason: "", remarks: [] }] });
    const key = { id: "GM/d1.zero", label: "Accept zero", device: "", protocol: "", unit: "key", is_wired: true, can_set: true, is_likely: true, role: "key" };
    pretendServer({ "GET /api/v1/signals/": { body: [key] } });
    show(<Keys run={run} only={["zero"]} />);
    expect(await screen.findByRole("button", { name: "Accept zero" })).toBeTruthy();
  });
});
