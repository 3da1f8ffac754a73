import { act, cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { pretendServer, show } from "../../../test/render";
import { runAt } from "../../../test/run";
import type { Step } from "../../../api/client";
import { ConditionStep } from "./ConditionStep";
import { ReadingsStep } from "./ReadingsStep";

const EVENTS = "POST /api/v1/runs/0d6e/events/";
const CAPTURE = "POST /api/v1/runs/0d6e/capture/";
const CAPTURES = "GET /api/v1/auto-captures/";

/** A stream that the test speaks through. */
class PretendStream {
  static last: PretendStream | null = null;
  listeners: Record<string, (e: { data: string }) => void> = {};
  closed = false;
  constructor(readonly url: string) {
    PretendStream.last = this;
  }
  addEventListener(name: string, listener: (e: { data: string }) => void) {
    this.listeners[name] = listener;
  }
  close() {
    this.closed = true;
  }
  say(name: string, data: unknown = {}) {
    act(() => this.listeners[name]?.({ data: JSON.stringify(data) }));
  }
}

function frame(status: string, says = "It moves 0.001 mA, limit 0.008 mA.", seq = 9) {
  const row = { label: "Loop current", unit: "mA", t: 100, v: 4.012, text: "4.012", status, says, mean: 4.012, limit: 0.008, response: "" };
  return { now: 100, seq, slot: 0, since: 90, window_s: 5, rows: { indicated: row } };
}

const LIVE = { sources: [{ quantity: "indicated", channel: "", signal: "CAL/i", label: "Loop current", unit: "mA", stimulus: "" }] };

function showLive(run = runAt({}, LIVE), answers = {}) {
  const server = pretendServer({ [CAPTURE]: { body: run }, [EVENTS]: { body: run }, [CAPTURES]: { body: [] }, ...answers });
  const shown = show(<ReadingsStep run={run} step={run.view.step} />);
  const stream = PretendStream.last;
  if (!stream) throw new Error("no stream was opened");
  return { server, shown, stream };
}

vi.mock("../../live/LivePlot", () => ({ LivePlot: () => null }));

beforeEach(() => {
  localStorage.clear();
  PretendStream.last = null;
  vi.stubGlobal("EventSource", PretendStream);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("a live condition", () => {
  const held = {
    key: "inhibit_check", kind: "condition", title: "Inhibit current", confirm_label: "It is held", readings: null, watches: "indicated", watches_channel: "", watches_unit: "mA",
    fields: [{ name: "ma", label: "Current", kind: "number", unit: "mA", required: true, hint: "", options: [], suggested: "", usual: "" }],
  } as unknown as Partial<Step>;
  function showHeld(view = LIVE) {
    const run = runAt(held, view);
    const server = pretendServer({ [CAPTURE]: { body: run }, [EVENTS]: { body: run }, "GET /api/v1/signals/": { body: [] } });
    show(<ConditionStep run={run} step={run.view.step} />);
    return server;
  }
  it("takes the live value with the one button when nothing was typed", async () => {
    const server = showHeld();
    fireEvent.click(screen.getByText("It is held"));
    await waitFor(() => expect(server.asked.some((a) => `${a.method} ${a.path}` === CAPTURE)).toBe(true));
    expect(server.asked.some((a) => `${a.method} ${a.path}` === EVENTS)).toBe(false);
  });
  it("takes what was typed instead, and always where nothing is live", async () => {
    const server = showHeld();
    fireEvent.change(screen.getByLabelText(/^Current/), { target: { value: "3,01" } });
    fireEvent.click(screen.getByText("It is held"));
    await waitFor(() => expect(server.asked.some((a) => `${a.method} ${a.path}` === EVENTS)).toBe(true));
    expect(server.asked.some((a) => `${a.method} ${a.path}` === CAPTURE)).toBe(false);
    cleanup();
    const typed = showHeld({ sources: [] } as unknown as typeof LIVE);
    fireEvent.click(screen.getByText("It is held"));
    await waitFor(() => expect(typed.asked.some((a) => `${a.method} ${a.path}` === EVENTS)).toBe(true));
  });
});

describe("a live reading", () => {
  it("tells settled or not in words with the numbers behind it, and captures when all stands still", async () => {
    const { server, stream } = showLive();
    expect(stream.url).toBe("/api/v1/runs/0d6e/live/");
    stream.say("frame", frame("not yet"));
    expect(screen.getByText("Not yet")).toBeTruthy();
    expect(screen.getByText("It moves 0.001 mA, limit 0.008 mA.")).toBeTruthy();
    expect(screen.queryByText("Capture reading 1")).toBeNull();
    stream.say("frame", frame("settled"));
    fireEvent.click(screen.getByText("Capture reading 1"));
    await waitFor(() => expect(server.asked.some((a) => a.path.endsWith("/capture/"))).toBe(true));
    expect(server.asked.find((a) => a.path.endsWith("/capture/"))?.body).toMatchObject({ expected_seq: 9, typed: {} });
  });

  it("that is lost says so, and a typed number takes its place", async () => {
    const { server, stream } = showLive();
    stream.say("frame", frame("lost", "Loop current: no answer in 1 s."));
    expect(screen.getByText("Source lost")).toBeTruthy();
    expect(screen.getByText("Loop current: no answer in 1 s.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Reading, typed instead, mA"), { target: { value: "4.02" } });
    fireEvent.click(screen.getByText("Record reading 1"));
    await waitFor(() => expect(server.asked.some((a) => a.path.endsWith("/events/"))).toBe(true));
    const sent = server.asked.find((a) => a.path.endsWith("/events/"))?.body as { events: { payload: object }[] };
    expect(sent.events[0]?.payload).toMatchObject({ slot: 0, indicated: "4.02", applied: "0.00" });
  });

  it("shows a refusal of the capture in the server's words", async () => {
    const refused = { status: 400, body: { code: "not_settled", message: "Reading is not captured. It moves 0.05 mA.", field: "indicated" } };
    const { stream } = showLive(undefined, { [CAPTURE]: refused });
    stream.say("frame", frame("not yet"));
    fireEvent.click(screen.getByText("Not ready to capture"));
    expect(await screen.findByText("Reading is not captured. It moves 0.05 mA.")).toBeTruthy();
  });

  it("says when the stream itself stands still, and ends it with the page", () => {
    const { shown, stream } = showLive();
    stream.say("frame", frame("settled"));
    stream.say("error");
    expect(screen.getByText(/no connection to the server/)).toBeTruthy();
    stream.say("frame", frame("settled"));
    expect(screen.queryByText(/no connection to the server/)).toBeNull();
    shown.unmount();
    expect(stream.closed).toBe(true);
  });

  it("names a response that is none", () => {
    const { stream } = showLive();
    const told = frame("settled");
    told.rows.indicated.response = "no response";
    stream.say("frame", told);
    expect(screen.getByText(/moved less than a tenth/)).toBeTruthy();
  });
});

describe("capturing by itself", () => {
  const both = { sources: [...LIVE.sources, { quantity: "applied", channel: "", signal: "CAL/p", label: "Pressure", unit: "kPa", stimulus: "CAL/p" }] };
  const auto = { id: "7", status: "running", says: "Bench calibrator at 100 kPa.", started_at: "", ended_at: null, started_by: "Ines", runs: [{ id: "1", number: "VL-1", tag: "PT-1", at_step: "", taken: 3, total: 10 }], lanes: [], left_s: 130, plan: {} };

  it("is offered only when the stimulus is live too", async () => {
    showLive().shown.unmount();
    expect(screen.queryByText("All by itself")).toBeNull();
    const { server } = showLive(runAt({}, both), { "POST /api/v1/auto-captures/": { body: auto } });
    fireEvent.click(await screen.findByText("All by itself"));
    await waitFor(() => expect(server.asked.find((a) => a.method === "POST")?.body).toEqual({ runs: ["0d6e"] }));
  });

  it("tells what it waits for and can be stopped", async () => {
    const { server } = showLive(runAt({}, both), { [CAPTURES]: { body: [auto] }, "POST /api/v1/auto-captures/7/stop/": { body: { ...auto, status: "stopped" } } });
    expect(await screen.findByText("Bench calibrator at 100 kPa.")).toBeTruthy();
    expect(screen.getByText("3 of 10 taken, about 2 min left")).toBeTruthy();
    fireEvent.click(screen.getByText("Stop it"));
    await waitFor(() => expect(server.asked.some((a) => a.path === "/api/v1/auto-captures/7/stop/")).toBe(true));
  });

  it("that stopped says why", async () => {
    showLive(runAt({}, both), { [CAPTURES]: { body: [{ ...auto, status: "stopped", says: "Reading did not settle at 100 kPa: unstable." }] } });
    expect(await screen.findByText("Reading did not settle at 100 kPa: unstable.")).toBeTruthy();
  });
});

describe("sources", () => {
  it("are all taken at once where they are wired to the instrument", async () => {
    const run = runAt();
    const signal = { id: "CAL/i", label: "Loop current", device: "", protocol: "SCPI over TCP", unit: "mA", is_wired: true, can_set: false, is_likely: true, role: "" };
    const list = [{ ...signal, id: "CS/ma", is_likely: false }, signal, { ...signal, id: "X/y", is_wired: false }];
    const server = pretendServer({ [EVENTS]: { body: run }, [CAPTURES]: { body: [] }, "GET /api/v1/signals/": { body: list } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Read live"));
    fireEvent.click(screen.getByText(/^Use what is wired to/));
    await waitFor(() => expect(server.asked.some((a) => `${a.method} ${a.path}` === EVENTS)).toBe(true));
    const sent = server.asked.find((a) => a.body)?.body as { events: { type: string; payload: { quantity: string; signal: string } }[] };
    expect(sent.events.every((e) => e.type === "source_chosen" && e.payload.signal === "CAL/i")).toBe(true);
    expect(sent.events.map((e) => e.payload.quantity)).toContain("indicated");
  });
  it("say so when nothing is wired", async () => {
    const run = runAt();
    const server = pretendServer({ [CAPTURES]: { body: [] }, "GET /api/v1/signals/": { body: [] } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Read live"));
    fireEvent.click(screen.getByText(/^Use what is wired to/));
    expect(await screen.findByText("Nothing is wired to it.")).toBeTruthy();
    expect(server.asked.every((a) => a.method === "GET")).toBe(true);
  });
  it("are chosen for each quantity, those of the tag first", async () => {
    const run = runAt();
    const signal = { id: "CAL/i", label: "Loop current", device: "Calibrator", protocol: "SCPI over TCP", unit: "mA", is_wired: true, can_set: false, is_likely: true, role: "" };
    const server = pretendServer({ [EVENTS]: { body: run }, [CAPTURES]: { body: [] }, "GET /api/v1/signals/": { body: [signal, { ...signal, id: "X/y", label: "Spare", is_wired: false }] } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Read live"));
    const box = screen.getByLabelText("Reading is");
    await waitFor(() => expect(box.querySelectorAll("option")).toHaveLength(3));
    expect([...box.querySelectorAll("option")].map((o) => o.textContent)).toEqual(["typed by hand", "Loop current (SCPI over TCP)", "other: Spare (SCPI over TCP)"]);
    fireEvent.change(box, { target: { value: "CAL/i" } });
    await waitFor(() => expect(server.asked.some((a) => a.method === "POST")).toBe(true));
    const sent = server.asked.find((a) => a.method === "POST")?.body as { events: { type: string; payload: object }[] };
    expect(sent.events[0]).toMatchObject({ type: "source_chosen", payload: { quantity: "indicated", channel: "", signal: "CAL/i" } });
  });
});
