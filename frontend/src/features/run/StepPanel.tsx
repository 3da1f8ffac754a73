import type { ReactNode } from "react";
import type { Run } from "../../api/client";
import { GasStep } from "../gas/GasStep";
import type { StepProps } from "./StepFrame";
import { AdjustStep } from "./steps/AdjustStep";
import { CheckpairsStep } from "./steps/CheckpairsStep";
import { ClockStep } from "./steps/ClockStep";
import { CompareStep } from "./steps/CompareStep";
import { ComputeStep } from "./steps/ComputeStep";
import { ConditionStep } from "./steps/ConditionStep";
import { ConfirmStep } from "./steps/ConfirmStep";
import { CountStep } from "./steps/CountStep";
import { HoldStep } from "./steps/HoldStep";
import { ItemsStep } from "./steps/ItemsStep";
import { JudgeStep } from "./steps/JudgeStep";
import { ReadingsStep } from "./steps/ReadingsStep";
import { ReferencesStep } from "./steps/ReferencesStep";
import { ReleaseStep } from "./steps/ReleaseStep";
import { SheetStep } from "./steps/SheetStep";
import { SignStep } from "./steps/SignStep";
import { TimerStep } from "./steps/TimerStep";

const KINDS: Record<string, (props: StepProps) => ReactNode> = {
  confirm: ConfirmStep,
  hold: HoldStep,
  timer: TimerStep,
  condition: ConditionStep,
  compute: ComputeStep,
  compare: CompareStep,
  checkpairs: CheckpairsStep,
  count: CountStep,
  clock: ClockStep,
  readings: ReadingsStep,
  judge: JudgeStep,
  adjust: AdjustStep,
  release: ReleaseStep,
  sign: SignStep,
};

/** Steps at which something is chosen from the kit, by the kind of their fields. */
const CHOSEN: Record<string, (props: StepProps) => ReactNode> = { reference: ReferencesStep, gas: GasStep, item: ItemsStep };

/** The current step, big. One component a kind. */
export function StepPanel({ run }: { run: Run }) {
  const step = run.view.step;
  if (!step) return null;
  const asks = step.fields.find((f) => f.kind in CHOSEN)?.kind ?? "";
  const Kind = CHOSEN[asks] ?? KINDS[step.kind] ?? ConfirmStep;
  const alone = <Kind run={run} step={step} />;
  return run.view.beside.length ? <SheetStep run={run} step={step} alone={alone} /> : alone;
}
