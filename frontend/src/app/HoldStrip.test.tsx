import { cleanup, fireEvent, screen } from "@testing-library/react";
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
  id: "h1", holder: "ines", holder_name: "Ines", agreement: "", approval: "", extended: [] as string[], note: "", offered_to: "", offered_name: "", is_own: false, voting_group: "", zone: "", is_due_soon: false, run_status: "open", at_step: "", risk: "", still: [] as string[],
});

describe("the hold strip", () => {
  it("is not there when nothing is held", async () => {
    const server = pretendServer({ "GET /api/v1/holds/": { body: [] } });
    const { container } = show(<HoldStrip me="ines" />);
    await vi.waitFor(() => expect(server.asked.length).toBe(1));
    expect(container.textContent).toBe("");
  });
  it("names instrument, kind, person and time", async () => {
    pretendServer({ "GET /api/v1/holds/": { body: [hold(20)] } });
    show(<HoldStrip me="ines" />);
    expect((await screen.findByText("PT-1")).getAttribute("href")).toBe("/run/r1");
    expect(screen.getByText("inhibit is on")).toBeTruthy();
    expect(screen.getByText(/Ines, for 30 min/)).toBeTruthy();
    expect(screen.queryByText(/overdue/)).toBeNull();
  });
  it("insists once the planned end has passed", async () => {
    pretendServer({ "GET /api/v1/holds/": { body: [hold(-12)] } });
    show(<HoldStrip me="ines" />);
    expect(await screen.findByText(/overdue by 12 min. Release it or say why not./)).toBeTruthy();
  });
  it("is one line whatever their number: overdue first, then mine, the others on demand", async () => {
    const rows = [
      { ...hold(50), tag: "PT-5", id: "h5", holder: "tomas" }, { ...hold(60), tag: "PT-6", id: "h6" },
      { ...hold(-5), tag: "PT-7", id: "h7", holder: "tomas" }, { ...hold(-3), tag: "PT-8", id: "h8" },
    ];
    pretendServer({ "GET /api/v1/holds/": { body: rows } });
    show(<HoldStrip me="ines" />);
    expect((await screen.findAllByRole("link")).map((l) => l.textContent)).toEqual(["PT-8"]);
    fireEvent.click(screen.getByRole("button", { name: "+3 others, 1 overdue" }));
    expect(screen.getAllByRole("link").map((l) => l.textContent)).toEqual(["PT-8", "PT-7", "PT-6", "PT-5"]);
  });
  it("keeps mine in sight beside what is more pressing, and tells what is still hot", async () => {
    const rows = [{ ...hold(-5), tag: "PT-7", id: "h7", holder: "tomas" }, { ...hold(60), tag: "TE-6", id: "h6", run: "r6", still: ["Block A is at 143 °C."] }];
    pretendServer({ "GET /api/v1/holds/": { body: rows } });
    show(<HoldStrip me="ines" />);
    expect((await screen.findAllByRole("link")).map((l) => l.getAttribute("href"))).toEqual(["/run/r1", "/run/r6"]);
    expect(screen.getByText("Block A is at 143 °C.", { exact: false })).toBeTruthy();
  });
  it("tells who it is handed over to, and who made it longer", async () => {
    const row = { ...hold(20), offered_to: "ines", holder_name: "Tomas Wray", extended: ["Marta, 2026-11-02 08:00 UTC: slow sensor"] };
    pretendServer({ "GET /api/v1/holds/": { body: [row] } });
    show(<HoldStrip me="ines" />);
    expect(await screen.findByText(/Tomas Wray hands it over to you; longer: Marta.*slow sensor/)).toBeTruthy();
    expect(screen.getByRole("link").getAttribute("href")).toBe("/holds");
  });
});
