import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Step } from "../../../api/client";
import { pretendServer, show } from "../../../test/render";
import { runAt } from "../../../test/run";
import { CompareStep } from "./CompareStep";
import { ComputeStep } from "./ComputeStep";

const EVENTS = "POST /api/v1/runs/0d6e/events/";

function row(name: string, label: string, device: string, more: object = {}) {
  return { name, label, kind: "number", unit: "", is_settable: true, options: [], before: device, device, pending: "", after: "", differs: false, ...more };
}

function compare(more: object = {}): Partial<Step> {
  const c = {
    variant: "edit", state: "read", says: "Nothing is pending.", differences: [], register: [], source: "", acts: [],
    rows: [row("lrv", "LRV", "0"), row("urv", "URV", "400"), row("serial", "Device number", "1001", { is_settable: false })], ...more,
  };
  return { key: "configure", kind: "compare", title: "Set range", readings: null, confirm_label: "Set and proved", compare: c as Step["compare"] };
}

function payload(server: { asked: { body: unknown }[] }) {
  const body = server.asked.find((a) => a.body)?.body as { events: { type: string; payload: Record<string, unknown> }[] };
  return body.events[0];
}

describe("parameters", () => {
  it("sends edits as pending, and asks for nothing that is fixed", async () => {
    const run = runAt(compare());
    const server = pretendServer({ [EVENTS]: { body: run }, "GET /api/v1/modems/": { body: [] } });
    show(<CompareStep run={run} step={run.view.step} />);
    expect(screen.queryByLabelText("Device number, pending")).toBeNull();
    fireEvent.change(screen.getByLabelText("URV, pending"), { target: { value: "250" } });
    fireEvent.click(screen.getByText("Make pending"));
    await waitFor(() => expect(payload(server)).toMatchObject({ type: "parameters_captured", payload: { kind: "pending", values: { urv: "250" } } }));
    expect(screen.queryByText("Send to the device")).toBeNull();
  });

  it("says what waits to be sent; without communication the technician says that it was sent", () => {
    pretendServer({ "GET /api/v1/modems/": { body: [] } });
    const run = runAt(compare({ state: "pending", rows: [row("urv", "URV", "400", { pending: "250" })] }));
    show(<CompareStep run={run} step={run.view.step} />);
    expect(screen.getByText("waits to be sent: 250")).toBeTruthy();
    expect(screen.getByText("I have sent them")).toBeTruthy();
  });
});

describe("a calculation of the run", () => {
  it("shows the result with the register's values and keeps what was typed instead", async () => {
    const field = { name: "ohms", label: "Resistance", kind: "number", unit: "ohm", required: true, hint: "", options: [], suggested: "", usual: "", beside: [], read: "" };
    const c = { calculator: "loop", values: { ohms: "250" }, rows: [], head: [], says: "8.5 V over lift-off.", failed: "" };
    const run = runAt({ key: "loop_budget", kind: "compute", title: "Loop budget", readings: null, fields: [field], confirm_label: "Keep", compute: c });
    const server = pretendServer({ [EVENTS]: { body: run } });
    show(<ComputeStep run={run} step={run.view.step} />);
    expect(screen.getByText("8.5 V over lift-off.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText(/Resistance/), { target: { value: "50" } });
    expect(screen.queryByText("8.5 V over lift-off.")).toBeNull();
    fireEvent.click(screen.getByText("Keep"));
    await waitFor(() => expect(payload(server)).toMatchObject({ payload: { step: "loop_budget", values: { ohms: "50" } } }));
  });
});
