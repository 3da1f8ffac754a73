import { ConfirmStep } from "./ConfirmStep";
import type { StepProps } from "../StepPanel";

/** A measured value that must lie inside its limits before the run goes on; the server says why it does not. */
export function ConditionStep(props: StepProps) {
  return <ConfirmStep {...props} />;
}
