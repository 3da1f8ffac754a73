import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { SessionGate } from "../../app/session";
import { pretendServer, show } from "../../test/render";
import { BatchPage } from "./BatchPage";

const SESSION = { "GET /api/v1/session/": { body: { person: { username: "ines", name: "Ines", role: "technician", may: ["work on a run"] }, plant: "Marram Bay" } } };
const CANDIDATES = "GET /api/v1/auto-captures/candidates/";
const turn = { block: "Block A", point: "0", sensors: ["TE-1"], start_s: 0, ready_s: 40, read_s: 40, done_s: 45 };
const plan = { finish_s: 100, one_after_another_s: 160, saved_s: 60, turns: [turn, { ...turn, block: "Block B", read_s: 45, done_s: 50 }] };
const ready = { id: "a", number: "VL-1", tag: "TE-1", service: "Liquor", at_step: "As found", why_not: "", block: "Block A" };

afterEach(cleanup);

describe("a batch", () => {
  it("offers what can join and says why the others can't", async () => {
    pretendServer({ ...SESSION, [CANDIDATES]: { body: [ready, { ...ready, id: "b", tag: "TE-2", why_not: "TE-2 is not at its readings." }] }, "GET /api/v1/auto-captures/": { body: [] } });
    show(
      <SessionGate>
        <BatchPage />
      </SessionGate>,
    );
    expect(await screen.findByText(/TE-1, Liquor \(Block A\)/)).toBeTruthy();
    expect(screen.getByText("TE-2 is not at its readings.")).toBeTruthy();
    expect(screen.getAllByRole("checkbox")).toHaveLength(1);
  });

  it("is foreseen with the time it saves before it is started", async () => {
    const server = pretendServer({ ...SESSION, [CANDIDATES]: { body: [ready] }, "GET /api/v1/auto-captures/": { body: [] }, "POST /api/v1/auto-captures/plan/": { body: plan } });
    show(
      <SessionGate>
        <BatchPage />
      </SessionGate>,
    );
    fireEvent.click(await screen.findByRole("checkbox"));
    expect(await screen.findByText("60 s saved")).toBeTruthy();
    expect(server.asked.find((a) => a.path.endsWith("/plan/"))?.body).toEqual({ runs: ["a"] });
    expect(screen.getAllByRole("row")).toHaveLength(3);
  });

  it("that was left alone is found finished", async () => {
    const row = { id: "a", number: "VL-1", tag: "TE-1", at_step: "Judge as found", taken: 3, total: 3 };
    const auto = { id: "7", status: "done", says: "Finished: all points are taken.", started_at: "2026-11-23T08:00:00Z", ended_at: "2026-11-23T08:10:00Z", started_by: "Ines", runs: [row, { ...row, id: "b", tag: "TE-2" }], lanes: [], plan };
    pretendServer({ ...SESSION, [CANDIDATES]: { body: [] }, "GET /api/v1/auto-captures/": { body: [auto] } });
    show(
      <SessionGate>
        <BatchPage />
      </SessionGate>,
    );
    await waitFor(() => expect(screen.getByText("Batch finished")).toBeTruthy());
    expect(screen.getAllByText("3 of 3 points")).toHaveLength(2);
    expect(screen.getByText("Finished: all points are taken.")).toBeTruthy();
  });
});
