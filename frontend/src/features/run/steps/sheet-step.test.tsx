import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Beside } from "../../../api/client";
import { pretendServer, show } from "../../../test/render";
import { runAt } from "../../../test/run";
import { SheetStep } from "./SheetStep";

const EVENTS = "POST /api/v1/runs/0d6e/events/";
const OFFERS = "GET /api/v1/runs/0d6e/offers/applied/";

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal("ResizeObserver", class { observe() {} unobserve() {} disconnect() {} });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function field(name: string, label: string, kind = "text") {
  return { name, label, kind, unit: "", required: true, hint: "", options: [], suggested: "", usual: "", beside: [], read: "" };
}

function asked(key: string, title: string, more: Partial<Beside>): Beside {
  return { key, kind: "confirm", title, instruction: "", cautions: [], confirm_label: "Confirm", fields: [], checks: [], options: [], usual: {}, lets_go: [], unheld: [], names_screen: false, ...more };
}

function offer(code: string, more: object = {}) {
  return { code, name: "Calibrator", detail: "0 to 1000 kPa", good_until: "2027-06-01", state: "in date", reaches: "TUR 9.0:1", standing: "good", remarks: [], is_proposed: false, is_usual: false, ...more };
}

const beside = [asked("references", "References", { fields: [field("applied", "Input reference", "reference")] }), asked("environment", "Surroundings", { fields: [field("temperature", "Air temperature", "number")] })];
const run = runAt({ key: "identity", kind: "confirm", title: "Right instrument", confirm_label: "Check the plate", readings: null, fields: [field("tag", "Tag on the plate")] }, { beside });
const sheet = () => <SheetStep run={run} step={run.view.step} alone={<p>alone</p>} />;

describe("a sheet", () => {
  it("sends all of its steps together, the usual reference without being chosen", async () => {
    const server = pretendServer({ [EVENTS]: { body: run }, [OFFERS]: { body: [offer("P1", { is_usual: true })] } });
    show(sheet());
    expect((await screen.findByRole("button", { name: /^P1/ })).getAttribute("aria-pressed")).toBe("true");
    fireEvent.change(screen.getByLabelText("Tag on the plate"), { target: { value: "PT-1" } });
    fireEvent.change(screen.getByLabelText("Air temperature"), { target: { value: "21" } });
    fireEvent.click(screen.getByText("Check the plate"));
    await waitFor(() => expect(server.asked.some((a) => a.method === "POST")).toBe(true));
    const body = server.asked.find((a) => a.method === "POST")?.body as { together: boolean; events: { type: string; payload: { step?: string; code?: string } }[] };
    expect(body.together).toBe(true);
    expect(body.events.map((e) => [e.type, e.payload.code ?? e.payload.step])).toEqual([
      ["step_confirmed", "identity"], ["reference_assigned", "P1"], ["step_confirmed", "references"], ["step_confirmed", "environment"],
    ]);
  });

  it("keeps what was typed and tells a refusal at its field", async () => {
    const refused = { code: "out_of_range", message: "Air temperature is 99.", field: "temperature", details: {} };
    pretendServer({ [EVENTS]: { status: 400, body: refused }, [OFFERS]: { body: [offer("P1"), offer("P2")] } });
    show(sheet());
    fireEvent.click(await screen.findByRole("button", { name: /^P2/ }));
    expect(screen.getByRole("button", { name: /^P2/ }).getAttribute("aria-pressed")).toBe("true");
    fireEvent.change(screen.getByLabelText("Air temperature"), { target: { value: "99" } });
    fireEvent.click(screen.getByText("Check the plate"));
    expect(await screen.findByText("Air temperature is 99.")).toBeTruthy();
    expect(screen.getByLabelText<HTMLInputElement>("Air temperature").value).toBe("99");
  });

  it("ends before references of which none will do without a word", async () => {
    pretendServer({ [OFFERS]: { body: [offer("P1", { standing: "warn" })] } });
    show(sheet());
    expect(await screen.findByText("alone")).toBeTruthy();
  });

  it("lets the references have a screen of their own where another is wanted", async () => {
    pretendServer({ [OFFERS]: { body: [offer("P1")] } });
    show(sheet());
    fireEvent.click(await screen.findByText("Take another one"));
    expect(await screen.findByText("alone")).toBeTruthy();
  });
});
