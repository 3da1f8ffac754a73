import { act, cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { pretendServer, show } from "../../../test/render";
import { runAt } from "../../../test/run";
import { AdjustStep } from "./AdjustStep";
import { ConfirmStep } from "./ConfirmStep";
import { HoldStep } from "./HoldStep";
import { JudgeStep } from "./JudgeStep";
import { ReadingsStep } from "./ReadingsStep";

const EVENTS = "POST /api/v1/runs/0d6e/events/";

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal("ResizeObserver", class { observe() {} unobserve() {} disconnect() {} });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function sent(server: ReturnType<typeof pretendServer>) {
  return server.asked.map((a) => (a.body as { events: { id: string; type: string; payload: Record<string, unknown> }[] }).events[0]);
}

describe("a reading", () => {
  const run = runAt();
  const field = () => screen.getByLabelText<HTMLInputElement>(/^Reading/);

  it("is sent as typed, with its slot and what is really applied", async () => {
    const server = pretendServer({ [EVENTS]: { body: run } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.change(field(), { target: { value: "4,012 mA" } });
    fireEvent.submit(field());
    await waitFor(() => expect(server.asked.length).toBe(1));
    expect(sent(server)[0]).toMatchObject({ type: "reading_taken", payload: { step: "as_found", slot: 0, applied: "0.00", indicated: "4,012 mA" } });
    await waitFor(() => expect(field().value).toBe(""));
  });

  it("stays in its field when it is refused, with the sentence beside it", async () => {
    pretendServer({ [EVENTS]: { status: 400, body: { code: "not_a_number", message: "The reading is 'abc'.", field: "indicated", details: {} } } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.change(field(), { target: { value: "abc" } });
    fireEvent.submit(field());
    expect(await screen.findByText("The reading is 'abc'.")).toBeTruthy();
    expect(field().value).toBe("abc");
  });

  it("that cannot be is asked about, and the likelier number is one touch away", async () => {
    const server = pretendServer({
      [EVENTS]: { status: 400, body: { code: "unlikely_reading", message: "Did you mean 12.04 mA?", field: "indicated", details: { suggestion: "12.04", can_confirm: true } } },
    });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.change(field(), { target: { value: "1204" } });
    fireEvent.submit(field());
    fireEvent.click(await screen.findByText("Yes, 12.04 mA"));
    await waitFor(() => expect(server.asked.length).toBe(2));
    expect(sent(server)[1]?.payload.indicated).toBe("12.04");
    fireEvent.click(await screen.findByText("It really is so"));
    await waitFor(() => expect(server.asked.length).toBe(3));
    expect(sent(server)[2]?.payload).toMatchObject({ indicated: "12.04", confirmed_unlikely: true });
  });

  it("keeps its identity when it has to be sent again", async () => {
    const server = pretendServer({ [EVENTS]: { status: 503, body: {} } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.change(field(), { target: { value: "4.01" } });
    fireEvent.submit(field());
    await screen.findByRole("alert");
    fireEvent.submit(field());
    await waitFor(() => expect(server.asked.length).toBe(2));
    const [first, again] = sent(server);
    expect(first?.id).toBeTruthy();
    expect(again?.id).toBe(first?.id);
  });

  const type = (text: string) => fireEvent.change(field(), { target: { value: text } });
  const all = (server: ReturnType<typeof pretendServer>) => server.asked.map((a) => (a.body as { events: { payload: Record<string, unknown> }[] }).events.map((e) => [e.payload.slot, e.payload.indicated]));

  it("typed while another is on its way belongs whole to the next point", async () => {
    const server = pretendServer({ [EVENTS]: { status: 503, body: {} } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    type("4.01");
    fireEvent.submit(field());
    type("8.0");
    await waitFor(() => expect(server.asked.length).toBe(1));
    expect(await screen.findByText("Send again")).toBeTruthy();
    expect(field().value).toBe("8.0"); // what is being typed stays under the fingers
    type("8.02");
    fireEvent.submit(field());
    expect(field().value).toBe("");
    fireEvent.click(screen.getByText("Send again"));
    await waitFor(() => expect(server.asked.length).toBe(2));
    expect(all(server)).toEqual([[[0, "4.01"]], [[0, "4.01"], [1, "8.02"]]]);
  });

  it("leads on to the point that the next number is for, before the one before it is stored", async () => {
    const server = pretendServer({ [EVENTS]: { status: 503, body: {} } });
    show(<ReadingsStep run={run} step={run.view.step} />);
    const applied = () => screen.getByLabelText<HTMLInputElement>(/^Really applied/);
    const asked = [["4.01", "100.00", "8.000", "2"], ["8.02", "200.00", "12.000", "3"]];
    for (const [text, apply, ideal, number] of asked) {
      type(text ?? "");
      fireEvent.submit(field());
      expect(applied().value).toBe(apply);
      expect(screen.getByText(apply ?? "").textContent).toBe(`${apply} kPa`);
      expect(screen.getByText(ideal ?? "").textContent).toBe(`${ideal} mA`);
      screen.getByText(`Record reading ${number}`);
    }
    fireEvent.click(await screen.findByText("Send again"));
    await waitFor(() => expect(server.asked.length).toBe(2));
    const events = (server.asked[1]?.body as { events: { payload: Record<string, unknown> }[] }).events;
    expect(events.map((e) => [e.payload.applied, e.payload.indicated])).toEqual([["0.00", "4.01"], ["100.00", "8.02"]]);
  });

  it("is not entered past what the next points are known to ask for; its digits stay", async () => {
    const server = pretendServer({ [EVENTS]: { status: 503, body: {} } });
    const next = { ...run.view.step?.readings?.next, ahead: 2 };
    const short = runAt({ readings: { ...run.view.step?.readings, next } as never });
    show(<ReadingsStep run={short} step={short.view.step} />);
    for (const text of ["4.01", "8.02", "12.03"]) {
      type(text);
      fireEvent.submit(field());
    }
    expect(field().value).toBe("12.03");
    await waitFor(() => expect(server.asked.length).toBe(1));
    fireEvent.click(await screen.findByText("Send again"));
    await waitFor(() => expect(server.asked.length).toBe(2));
    expect(all(server)[1]).toEqual([[0, "4.01"], [1, "8.02"]]);
  });

  it("refused in front of others is settled in a field of its own, and they follow", async () => {
    const server = pretendServer({
      [EVENTS]: { status: 400, body: { code: "unlikely_reading", message: "Did you mean 12.04 mA?", field: "indicated", details: { suggestion: "12.04", can_confirm: true, stored: 0 } } },
    });
    show(<ReadingsStep run={run} step={run.view.step} />);
    type("1204");
    fireEvent.submit(field());
    type("16.01");
    fireEvent.submit(field());
    fireEvent.click(await screen.findByText("Yes, 12.04 mA"));
    await waitFor(() => expect(server.asked.length).toBe(2));
    expect(all(server)[1]).toEqual([[0, "12.04"], [1, "16.01"]]);
    const again = await screen.findByLabelText<HTMLInputElement>(/^Typed again/);
    fireEvent.change(again, { target: { value: "12.03" } });
    fireEvent.keyDown(again, { key: "Enter" });
    await waitFor(() => expect(server.asked.length).toBe(3));
    expect(all(server)[2]).toEqual([[0, "12.03"], [1, "16.01"]]);
    fireEvent.click(await screen.findByText("Take it out: it was not meant"));
    await waitFor(() => expect(server.asked.length).toBe(4));
    expect(all(server)[3]).toEqual([[0, "16.01"]]);
  });

  it("begun as the page goes on to the next set goes along into its field, whole", async () => {
    const server = pretendServer({ [EVENTS]: { body: run } });
    const last = { ...run.view.step?.readings?.next, slot: 9, number: 10, ahead: 1 };
    const [before, after] = [runAt({ key: "before", readings: { ...run.view.step?.readings, next: last } as never }), runAt({ key: "after" })];
    function Page() {
      const [now, go] = useState(before);
      return (
        <>
          <button onClick={() => go(now === before ? after : before)}>Stored</button>
          <ReadingsStep key={now.view.step?.key} run={now} step={now.view.step as never} />
        </>
      );
    }
    show(<Page />);
    type("20.01");
    fireEvent.submit(field());
    type("4.");
    fireEvent.click(screen.getByText("Stored"));
    expect(field().value).toBe("4.");
    fireEvent.click(screen.getByText("Stored"));
    expect(field().value).toBe("");
    // Both pages send it, and it is known by its id; one that went out after the end of this test would be sent again into another.
    await waitFor(() => expect(server.asked.length).toBe(2));
    const [one, same] = sent(server);
    expect(same?.id).toBe(one?.id);
  });

  it("half typed comes back after a reload", () => {
    pretendServer({});
    const first = show(<ReadingsStep run={run} step={run.view.step} />);
    fireEvent.change(field(), { target: { value: "12." } });
    first.unmount();
    show(<ReadingsStep run={run} step={run.view.step} />);
    expect(field().value).toBe("12.");
  });
});

describe("a checklist", () => {
  const checks = [
    { key: "valves", label: "Valves back" },
    { key: "covers", label: "Covers on" },
  ];
  const run = runAt({ key: "restore", kind: "confirm", title: "Put it back", readings: null, checks, confirm_label: "It is back" });

  it("sends what is ticked and shows what is not", async () => {
    const server = pretendServer({
      [EVENTS]: { status: 400, body: { code: "unchecked", message: "Not ticked: Covers on.", field: "covers", details: {} } },
    });
    show(<ConfirmStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Valves back"));
    fireEvent.click(screen.getByText("It is back"));
    expect(await screen.findByText("Not ticked: Covers on.")).toBeTruthy();
    expect(sent(server)[0]?.payload.checks).toEqual(["valves"]);
  });

  it("keeps its ticks over a reload, and lets one be taken back", () => {
    pretendServer({});
    const first = show(<ConfirmStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Valves back"));
    fireEvent.click(screen.getByText("Covers on"));
    fireEvent.click(screen.getByText("Covers on"));
    first.unmount();
    show(<ConfirmStep run={run} step={run.view.step} />);
    expect(screen.getAllByRole("checkbox").map((b) => b.getAttribute("aria-checked"))).toEqual(["true", "false"]);
  });
});

describe("a hold", () => {
  const options = [
    { value: "inhibit", label: "Inhibit" },
    { value: "none", label: "No hold needed: say why" },
  ];
  const unheld = [{ kind: "none", asks: "Why no hold is needed", label: "No hold needed" }];
  const run = runAt({ key: "hold", kind: "hold", title: "Place the hold", readings: null, options, unheld, confirm_label: "Hold is on" });

  it("goes out with kind, reason and planned minutes", async () => {
    const server = pretendServer({ [EVENTS]: { body: run } });
    show(<HoldStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("Inhibit"));
    fireEvent.change(screen.getByLabelText("Reason"), { target: { value: "Calibration" } });
    fireEvent.click(screen.getByText("90 min"));
    fireEvent.click(screen.getByText("Hold is on"));
    await waitFor(() => expect(server.asked.length).toBe(1));
    expect(sent(server)[0]?.payload).toMatchObject({ kind: "inhibit", reason: "Calibration", minutes: "90" });
  });

  it("asks why when none is needed, and for no length", () => {
    pretendServer({});
    show(<HoldStep run={run} step={run.view.step} />);
    fireEvent.click(screen.getByText("No hold needed: say why"));
    expect(screen.getByLabelText("Why no hold is needed")).toBeTruthy();
    expect(screen.queryByLabelText(/Planned length/)).toBeNull();
    expect(screen.getByRole("button", { name: "No hold needed" })).toBeTruthy();
  });
});

describe("a decision", () => {
  const options = [
    { value: "leave", label: "Leave as it is" },
    { value: "adjust", label: "Adjust zero and span" },
  ];
  const run = runAt({ key: "judge", kind: "judge", title: "Judge as found", readings: null, options, judge: { proposal: "adjust", reason: "Past the limit.", reasons: { leave: "Why not as proposed" }, verdict: "pass", share: "140 %" } });

  it("starts from the proposal and asks for a reason against it", async () => {
    const server = pretendServer({ [EVENTS]: { body: run } });
    show(<JudgeStep run={run} step={run.view.step} />);
    expect(screen.getByText("Decide: Adjust zero and span")).toBeTruthy();
    expect(screen.queryByLabelText("Why not as proposed")).toBeNull();
    fireEvent.click(screen.getByText("Leave as it is"));
    fireEvent.change(screen.getByLabelText("Why not as proposed"), { target: { value: "shutdown tomorrow" } });
    fireEvent.click(screen.getByText("Decide: Leave as it is"));
    await waitFor(() => expect(server.asked.length).toBe(1));
    expect(sent(server)[0]?.payload).toMatchObject({ choice: "leave", reason: "shutdown tomorrow" });
  });
});

describe("adjusting", () => {
  const adjust = {
    screw: "zero", label: "zero", act: "turn", keys: [], can_refuse: false, refusals: [], variant: "adjust", pass_number: 1, is_converged: false, is_stuck: false, says: "Pass 1: zero.", output_unit: "mA", max_passes: 4, aim_percent: 0.125,
    target: { apply: "0.00 kPa", ideal: "4.000", aim: "±0.020 mA" }, passes: [], acts: [],
  };

  it("sends before and after of the screw that is next", async () => {
    const run = runAt({ key: "adjust", kind: "adjust", title: "Adjust", readings: null, adjust });
    const server = pretendServer({ [EVENTS]: { body: run } });
    show(<AdjustStep run={run} step={run.view.step} />);
    fireEvent.change(screen.getByLabelText(/Before turning/), { target: { value: "4.12" } });
    fireEvent.change(screen.getByLabelText(/After turning/), { target: { value: "4.001" } });
    fireEvent.click(screen.getByText("Record zero"));
    await waitFor(() => expect(server.asked.length).toBe(1));
    expect(sent(server)[0]).toMatchObject({ type: "adjustment_made", payload: { screw: "zero", before: "4.12", after: "4.001" } });
  });

  it("tells a smart transmitter to trim itself, and asks before", async () => {
    const acts = [{ act: "lower_trim", label: "Trim the low end to", unit: "kPa", warns: "A trim can't be undone from here.", value: "0" }];
    const run = runAt({ key: "adjust", kind: "adjust", title: "Trim the sensor", readings: null, adjust: { ...adjust, variant: "trim_sensor", acts } });
    run.view.sources = [{ quantity: "device", channel: "", signal: "HART/", label: "HART", unit: "", stimulus: "" }];
    const server = pretendServer({ "POST /api/v1/runs/r1/device/act/": { body: run } });
    show(<AdjustStep run={run} step={run.view.step} />);
    expect(screen.getByLabelText("kPa")).toHaveProperty("value", "0");
    fireEvent.click(screen.getByRole("button", { name: "Trim the low end to" }));
    expect(await screen.findByText("A trim can't be undone from here.")).toBeTruthy();
    expect(server.asked.filter((a) => a.path.includes("/device/act/")).length).toBe(0);
    fireEvent.click(screen.getByRole("button", { name: "Send it to the device" }));
    await waitFor(() => expect(server.asked.filter((a) => a.path.includes("/device/act/")).length).toBe(1));
  });

  it("that is stuck asks what was found before it can be finished", () => {
    pretendServer({});
    const run = runAt({ key: "adjust", kind: "adjust", title: "Adjust", readings: null, confirm_label: "Adjusting is finished", adjust: { ...adjust, screw: "", label: "", target: null, is_stuck: true, says: "Suspect a mechanical fault." } });
    show(<AdjustStep run={run} step={run.view.step} />);
    expect(screen.getByText("Suspect a mechanical fault.")).toBeTruthy();
    expect(screen.getByLabelText("What you found, and why you stop")).toBeTruthy();
    expect(screen.queryByLabelText(/Before turning/)).toBeNull();
  });
});

describe("a new step", () => {
  it("takes the focus, so that Tab goes on from there", () => {
    pretendServer({});
    const run = runAt({ key: "restore", kind: "confirm", title: "Put it back", readings: null, checks: [{ key: "a", label: "A" }] });
    act(() => void show(<ConfirmStep run={run} step={run.view.step} />));
    expect(document.activeElement?.textContent).toBe("Put it back");
  });
});
