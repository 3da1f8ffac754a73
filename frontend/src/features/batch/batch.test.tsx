import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import { SessionGate } from "../../app/session";
import { pretendServer, show } from "../../test/render";
import { NewBatch } from "./NewBatch";
import { OneByOne } from "./OneByOne";
import { SensorBatchPage } from "./SensorBatchPage";

const SESSION = { "GET /api/v1/session/": { body: { person: { username: "ines", name: "Ines", role: "technician", may: ["work on a run", "start a run", "sign a run"] }, plant: "Marram Bay" } } };
const CANDIDATES = "GET /api/v1/auto-captures/candidates/";
const turn = { block: "Block A", point: "0", sensors: ["TE-1"], start_s: 0, ready_s: 40, read_s: 40, done_s: 45 };
const plan = { finish_s: 100, one_after_another_s: 160, saved_s: 60, turns: [turn, { ...turn, block: "Block B", read_s: 45, done_s: 50 }] };
const ready = { id: "a", number: "VL-1", tag: "TE-1", service: "Liquor", at_step: "As found", why_not: "", block: "Block A" };

afterEach(cleanup);

describe("runs begun one by one", () => {
  it("offers what can join and says why the others can't", async () => {
    pretendServer({ ...SESSION, [CANDIDATES]: { body: [ready, { ...ready, id: "b", tag: "TE-2", why_not: "TE-2 is not at its readings." }] }, "GET /api/v1/auto-captures/": { body: [] } });
    show(
      <SessionGate>
        <OneByOne inBatches={[]} />
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
        <OneByOne inBatches={[]} />
      </SessionGate>,
    );
    fireEvent.click(await screen.findByRole("checkbox"));
    expect(await screen.findByText("60 s saved")).toBeTruthy();
    expect(server.asked.find((a) => a.path.endsWith("/plan/"))?.body).toEqual({ runs: ["a"] });
    expect(screen.getAllByRole("row")).toHaveLength(3);
  });

  it("left alone are found finished and not told twice", async () => {
    const row = { id: "a", number: "VL-1", tag: "TE-1", at_step: "Judge as found", taken: 3, total: 3 };
    const auto = { id: "7", status: "done", says: "Finished: all points are taken.", started_at: "2026-11-23T08:00:00Z", ended_at: "2026-11-23T08:10:00Z", started_by: "Ines", runs: [row, { ...row, id: "b", tag: "TE-2" }], lanes: [], plan };
    const judged = { ...ready, at_step: "Judge as found", why_not: "TE-1 is not at its readings." };
    pretendServer({ ...SESSION, [CANDIDATES]: { body: [judged, { ...judged, id: "b", tag: "TE-2" }] }, "GET /api/v1/auto-captures/": { body: [auto] } });
    show(
      <SessionGate>
        <OneByOne inBatches={[]} />
      </SessionGate>,
    );
    await waitFor(() => expect(screen.getByText("Batch finished")).toBeTruthy());
    expect(screen.getAllByText("3 of 3 points")).toHaveLength(2);
    expect(screen.getByText("Finished: all points are taken.")).toBeTruthy();
  });
});

const placed = { tag: "TE-1", block: "B1", block_name: "Block A", well: 1, probe: "T1", probe_name: "Probe", readout: "R1", is_live: true, remarks: [] as string[], why_not: "" };
const ask = { name: "operator", label: "Operator told (name)", unit: "", kind: "text", hint: "", options: [], only_for: [] as string[] };
const proposal = {
  sensors: [placed], blocks: [{ value: "B1", label: "Block A" }, { value: "B2", label: "Block B" }], minutes: 60, tap: { cautions: ["Blocks burn."], says: ["Sensor out of its well"] },
  asks: [ask, { ...ask, name: "hold_why", label: "Why they are not held", only_for: ["none"] }],
};
const PROPOSAL = "POST /api/v1/batches/proposal/";

describe("a new batch", () => {
  it("shows wells and what the start says, marks what is refused, and lets go of the mark once it is changed", async () => {
    localStorage.clear();
    const refused = { code: "several_faults", message: "Two things.", field: "", details: { faults: [{ code: "wrong_instrument", field: "serial:TE-1", message: "Stop: another one." }, { code: "missing", field: "operator", message: "Who?" }] } };
    const server = pretendServer({ [PROPOSAL]: { body: proposal }, "POST /api/v1/batches/": { status: 400, body: refused } });
    show(<NewBatch tags={["TE-1"]} />);
    expect(await screen.findByText("Block A, well 1")).toBeTruthy();
    expect(screen.getByText("Sensor out of its well")).toBeTruthy();
    expect(screen.queryByLabelText("Why they are not held")).toBeNull();
    fireEvent.change(screen.getByLabelText("Serial on its plate"), { target: { value: "SN 9" } });
    fireEvent.click(screen.getByRole("button", { name: /start 1/ }));
    expect(await screen.findByText("Stop: another one.")).toBeTruthy();
    expect(server.asked.at(-1)?.body).toMatchObject({ tags: ["TE-1"], serials: { "TE-1": "SN 9" } });
    fireEvent.change(screen.getByLabelText("Serial on its plate"), { target: { value: "SN 1" } });
    expect(screen.queryByText("Stop: another one.")).toBeNull();
    expect(screen.getByText("Who?")).toBeTruthy();
  });

  it("can't be started while one finds no well", async () => {
    pretendServer({ [PROPOSAL]: { body: { ...proposal, sensors: [{ ...placed, why_not: "No probe covers it." }] } } });
    show(<NewBatch tags={["TE-1"]} />);
    expect(await screen.findByText("No probe covers it.")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /start/ })).toBeNull();
  });
});

describe("a batch under way", () => {
  it("puts back what is plain and leaves what is to be decided to its run", async () => {
    localStorage.clear();
    const row = { ...placed, service: "Liquor", unit: "°C", run: "r1", state: "plain", at_step: "Judge", is_on_hold: true, note: "", verdict: "pass", share: "20", taken: 3, total: 3, asks: [{ name: "reading", label: "Normal reading seen", unit: "°C" }], says: ["Well tight"] };
    const failed = { ...row, tag: "TE-2", run: "r2", state: "to decide", verdict: "fail", asks: [], says: [] };
    const batch = { id: "b1", by: "Ines", is_mine: true, made_at: "2026-11-23T08:00:00Z", closed_at: null, said: {}, sensors: [row, failed], ready: 0, can_capture: false, auto: null };
    const BACK = "POST /api/v1/batches/b1/back/";
    const unlikely = { code: "unlikely_value", message: "TE-1: 8000 is not to be expected.", field: "reading:TE-1", details: { can_confirm: true } };
    const server = pretendServer({ ...SESSION, "GET /api/v1/batches/b1/": { body: batch }, [BACK]: { status: 400, body: unlikely } });
    show(
      <SessionGate>
        <Routes>
          <Route path="/batch/:id" element={<SensorBatchPage />} />
        </Routes>
      </SessionGate>,
      "/batch/b1",
    );
    expect(await screen.findByText("to be decided in its run")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("TE-1: Normal reading seen"), { target: { value: "8000" } });
    fireEvent.click(screen.getByRole("button", { name: "They are back, their holds are off" }));
    fireEvent.click(await screen.findByRole("button", { name: "It really is so" }));
    await waitFor(() => expect(server.asked.filter((a) => a.path.endsWith("/back/")).map((a) => a.body)).toEqual([
      { said: { "TE-1": { reading: "8000" } } },
      { said: { "TE-1": { reading: "8000", confirmed: "reading" } } },
    ]));
  });
});
