import type { Run, RunView, Step } from "../api/client";

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
    rows: [],
    output_unit: "mA",
    unit: "kPa",
    believable: "3.6 to 22 mA",
    next: { slot: 0, number: 1, direction: "up", cycle: 1, percent: "0 %", nominal: "0.00", ideal: "4.000", how: "Come up to it.", channel: "",
      quantities: [
        { name: "applied", label: "Really applied", unit: "kPa", source_channel: "", expected: "0.00", hint: "", required: true, is_live_only: false, believable: "-20 to 20 kPa" },
        { name: "indicated", label: "Reading", unit: "mA", source_channel: "", expected: "4.000", hint: "", required: true, is_live_only: false, believable: "3.6 to 22 mA" },
      ],
    },
  },
  judge: null,
  adjust: null,
  compute: null,
  compare: null,
  pairs: [],
  watches: "",
  watches_channel: "",
  watches_unit: "",
};

const VIEW: RunView = {
  seq: 9,
  status: "open",
  closed: 0.5,
  method: { key: "tx-multipoint", title: "Transmitter, multi-point check", revision: "1" },
  instrument: {
    tag: "PT-1", serial: "S-1", service: "Header", area: "RO", feeds: "", protects: "", range: "0 to 400 kPa", output: "4 to 20 mA", transfer: "linear",
    tolerance: "±0.5 % of span", unit: "kPa", output_unit: "mA", details: [],
  },
  started: { at: "2026-11-23T08:00:00Z", by: "ines", name: "Ines" },
  rail: [],
  step: STEP,
  evidence: [],
  adjustments: [],
  works: [],
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
  reviewed: null,
  voided: null,
  policies: [],
  flags: [],
  pairs: [],
  gases: [],
  blocks: [],
  points: "0 25 50 75 100 %, cycles: 1",
  seal: { is_sealed: false, core: "1.0", says: "", plant: {} },
};

/** A run at a step, for components. */
export function runAt(step: Partial<Step> = {}, view: Partial<RunView> = {}): Run & { view: { step: Step } } {
  const at = { ...STEP, ...step };
  return { id: "0d6e", number: "VL-000001", head: "ab", technician: "ines", kit_out: [], view: { ...VIEW, ...view, step: at } } as Run & { view: { step: Step } };
}
