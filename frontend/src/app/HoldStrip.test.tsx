import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { pretendServer, show } from "../test/render";
import { HoldStrip } from "./HoldStrip";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const hold = (minutes: number) => ({
  run: "r1", run_number: "VL-000001", tag: "PT-1", area: "RO", kind: "inhibit", reason: "Calibration", placed_by: "Ines",
  placed_at: new Date(Date.now() - 30 * 60_000).toISOString(), until: new Date(Date.now() + minutes * 60_000).toISOString(), is_overdue: minutes < 0, feeds: "",
  id: "h1", holder: "ines", holder_name: "Ines", agreement: "", voting_group: "", zone: "", is_due_soon: false, run_status: "open", at_step: "", risk: "",
});

describe("the hold strip", () => {
  it("is not there when nothing is held", async () => {
    const server = pretendServer({ "GET /api/v1/holds/": { body: [] } });
    const { container } = show(<HoldStrip />);
    await vi.waitFor(() => expect(server.asked.length).toBe(1));
    expect(container.textContent).toBe("");
  });
  it("names instrument, kind, person and time", async () => {
    pretendServer({ "GET /api/v1/holds/": { body: [hold(20)] } });
    show(<HoldStrip />);
    expect((await screen.findByText("PT-1")).getAttribute("href")).toBe("/run/r1");
    expect(screen.getByText("inhibit is on")).toBeTruthy();
    expect(screen.getByText(/Ines, for 30 min/)).toBeTruthy();
    expect(screen.queryByText(/overdue/)).toBeNull();
  });
  it("insists once the planned end has passed", async () => {
    pretendServer({ "GET /api/v1/holds/": { body: [hold(-12)] } });
    show(<HoldStrip />);
    expect(await screen.findByText(/overdue by 12 min. Release it or say why not./)).toBeTruthy();
  });
});
