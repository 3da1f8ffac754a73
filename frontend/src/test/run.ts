import type { Run, RunView, Step } from "../api/client";

/** Five points up and the same down. */
function point(slot: number): NonNullable<NonNullable<Step["readings"]>["next"]>["coming"][number] {
  const isUp = slot < 5;
  const percent = 25 * (isUp ? slot : 9 - slot);
  const [nominal, ideal] = [(4 * percent).toFixed(2), (4 + 0.16 * percent).toFixed(3)];
  const quantity = { source_channel: "", hint: "", required: true, is_live_only: false, counts_up: false };
  return {
    slot, number: slot + 1, direction: isUp ? "up" : "down", direction_word: isUp ? "up" : "down", cycle: 1, percent: `${percent} %`, nominal, ideal, channel: "",
    how: isUp ? "Come up to it." : "Come down to it.",
    quantities: [
      { ...quantity, name: "applied", label: "Really applied", unit: "kPa", expected: nominal, believable: "-20 to 20 kPa" },
      { ...quantity, name: "indicated", label: "Reading", unit: "mA", expected: ideal, believable: "3.6 to 22 mA" },
    ],
  };
}

const STEP: Step = {
  key: "as_found",
  kind: "readings",
  phase: "as found",
  title: "As found",
  instruction: "Apply each point.",
  cautions: [],
  confirm_label: "Confirm",
  minutes: 0,
  fields: [],
  checks: [],
  options: [],
  readings: {
    total: 10,
    taken: 0,
    output_unit: "mA",
    unit: "kPa",
    read_live: [{ name: "applied", unit: "kPa", channel: "" }, { name: "indicated", unit: "mA", channel: "" }],
    chromatogram: null, hookup: null,
    next: { ...point(0), ahead: 10, coming: Array.from({ length: 9 }, (_, n) => point(n + 1)), ready_at: "" },
  },
  judge: null,
  adjust: null,
  compute: null,
  compare: null,
  count: null,
  clock: null,
  pairs: [],
  panels: [],
  lets_go: [],
  unheld: [],
  keys: [],
  usual: {},
  variant: "",
  needs_timer: "",
  watches: "",
  watches_channel: "",
  watches_unit: "", beside: [], readouts: [], sends: false, saves: false, loads: false,
};

const VIEW: RunView = {
  seq: 9,
  status: "open",
  closed: 0.5,
  method: { key: "tx-multipoint", title: "Transmitter, multi-point check", revision: "1", document: "Calibration certificate" },
  instrument: {
    subject: "instrument", tag: "PT-1", serial: "S-1", service: "Header", area: "RO", feeds: "", protects: "", range: "0 to 400 kPa", output: "4 to 20 mA", transfer: "linear",
    tolerance: "±0.5 % of span", unit: "kPa", output_unit: "mA", details: [], plate: [],
  },
  started: { at: "2026-11-23T08:00:00Z", by: "ines", name: "Ines" },
  rail: [],
  proofs: [],
  step: STEP,
  beside: [], evidence: [],
  results: [],
  unheld: [],
  adjustments: [],
  works: [],
  noted: [],
  references: [],
  surroundings: [],
  holds: [],
  timers: [],
  sources: [],
  computed: [],
  parameters: [],
  acts: [],
  decisions: [],
  notes: [],
  signed: null,
  countersigned: [],
  can_countersign: [],
  reviewed: null,
  voided: null,
  policies: [],
  flags: [],
  pairs: [],
  gases: [],
  chromatograms: [],
  items: [],
  earlier: [],
  reopened: [],
  can_reopen: [],
  blocks: [],
  points: "0 25 50 75 100 %, cycles: 1",
  seal: { is_sealed: false, core: "1.0", says: "", plant: {} },
};

/** A run at a step, for components. */
export function runAt(step: Partial<Step> = {}, view: Partial<RunView> = {}): Run & { view: { step: Step } } {
  const at = { ...STEP, ...step };
  return { id: "0d6e", number: "VL-000001", head: "ab", technician: "ines", kit_out: [], broken: "", view: { ...VIEW, ...view, step: at } } as Run & { view: { step: Step } };
}
