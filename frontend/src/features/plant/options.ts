export const FAMILIES = [
  { value: "transmitter", label: "Transmitter" },
  { value: "temperature sensor", label: "Temperature sensor" },
  { value: "gas detector", label: "Gas detector" },
  { value: "analyzer", label: "Analyzer" },
  { value: "flow meter", label: "Flow meter" },
  { value: "weighing", label: "Weighing" },
];
export const METHODS = [
  { value: "tx-multipoint", label: "Transmitter, multi-point check" },
  { value: "tx-configure", label: "Smart transmitter: range, trim, damping" },
  { value: "level-displacer", label: "Displacer level transmitter" },
  { value: "temp-sensor", label: "Temperature sensor in a block or bath" },
  { value: "loop-check", label: "Loop check" },
  { value: "gas-bump", label: "Gas detector, function check" },
  { value: "gas-zero-span", label: "Gas detector, zero and span" },
  { value: "gas-multichannel", label: "Gas detector head with several channels" },
  { value: "gas-ir-zero", label: "Optical gas detector, zero" },
  { value: "gas-oxygen", label: "Oxygen depletion detector" },
  { value: "gas-portable", label: "Portable gas instrument" },
  { value: "an-multigas", label: "Extractive multi-component analyzer" },
  { value: "an-trace-o2", label: "Trace oxygen analyzer" },
  { value: "an-ph", label: "pH, two buffers" },
  { value: "an-duplicate-blank", label: "Injected-sample analyzer" },
  { value: "flow-coriolis-zero", label: "Coriolis flow meter, zero" },
  { value: "flow-mag-verify", label: "Magnetic flow meter, verification" },
  { value: "weigh-vessel", label: "Vessel on load cells" },
  { value: "weigh-indicator", label: "Weighing indicator" },
  { value: "weigh-belt", label: "Belt weigher" },
];
export const TRANSFERS = [
  { value: "linear", label: "Linear" },
  { value: "reverse", label: "Reverse" },
  { value: "sqrt", label: "Square root" },
  { value: "table", label: "Table" },
];
export const ADJUST_WHEN = [
  { value: "", label: "as the plant has it" },
  { value: "never", label: "never inside the tolerance" },
  { value: "past-limit", label: "only past the adjust limit" },
  { value: "always", label: "always to nominal" },
];
export const PASS_RULES = [
  { value: "", label: "as the plant has it" },
  { value: "simple", label: "plain limit" },
  { value: "guard-u", label: "guard band of U" },
  { value: "guard-1.65u", label: "guard band of 1.65 u" },
  { value: "tur-guard", label: "guard band by TUR" },
  { value: "probability", label: "conformance probability" },
];
export const BASES = [
  { value: "span", label: "% of span" },
  { value: "reading", label: "% of reading" },
  { value: "unit", label: "engineering units" },
  { value: "division", label: "scale divisions" },
];
export const FORMS = [
  { value: "single", label: "one term" },
  { value: "greater", label: "the greater of two" },
  { value: "sum", label: "the sum of two" },
];
