import { useNavigate } from "react-router";
import { Button } from "../../ui/Button";
import { Message } from "../../ui/Message";
import { useRun } from "../run/useRun";
import { shown, type Sheet } from "./sheet";

interface Target {
  draft: string;
  field: string;
  label: string;
  unit: string;
}

function putDraft(key: string, field: string, value: string) {
  try {
    const old = JSON.parse(localStorage.getItem(`draft:${key}`) ?? "{}") as Record<string, string>;
    localStorage.setItem(`draft:${key}`, JSON.stringify({ ...old, [field]: value }));
  } catch {
    // Storage may be forbidden; the number then has to be typed.
  }
}

/** Takes what the run knows into the calculation, and a result into the field of the run's step that wants that unit. */
export function UseInRun({ runId, sheet, answer, onTake }: { runId: string; sheet: Sheet; answer: Record<string, unknown>; onTake: (values: Record<string, string>) => void }) {
  const navigate = useNavigate();
  const run = useRun(runId).data;
  const step = run?.view.step;
  if (!run || !step) return null;
  const i = run.view.instrument;
  const range = /^(\S+) to (\S+) /.exec(i.range);
  const output = /^(\S+) to (\S+) /.exec(i.output);
  const known: Record<string, string> = {};
  const put = (name: string, value?: string) => {
    if (value && sheet.fields.some((f) => f.name === name)) known[name] = value;
  };
  put("lrv", range?.[1]);
  put("urv", range?.[2]);
  put("output_lo", output?.[1]);
  put("output_hi", output?.[2]);
  const next = step.readings?.next;
  put("value", next?.nominal);
  put("t90_c", next?.nominal);
  const targets: Target[] = next
    ? next.quantities.map((q) => ({ draft: `${runId}/${step.key}/reading`, field: q.name, label: q.label, unit: q.unit }))
    : step.fields.filter((f) => f.kind === "number").map((f) => ({ draft: `${runId}/${step.key}`, field: f.name, label: f.label, unit: f.unit }));
  const fits = sheet.outputs.flatMap((o) =>
    typeof answer[o.name] === "number" ? targets.filter((t) => t.unit === o.unit || !o.unit).map((t) => ({ ...t, output: o, value: shown(answer[o.name]) })) : [],
  );
  return (
    <section aria-label="Use in the run" className="space-y-2 border-l-8 border-water bg-water-soft px-3 py-2">
      <p>
        Open run: <strong>{i.tag}</strong>, {step.title}.
      </p>
      <div className="flex flex-wrap gap-3">
        {Object.keys(known).length > 0 && <Button onClick={() => onTake(known)}>Take the values of {i.tag}</Button>}
        {fits.map((f) => (
          <Button
            key={f.output.name + f.field}
            onClick={() => {
              putDraft(f.draft, f.field, f.value);
              void navigate(`/run/${runId}`);
            }}
          >
            Use {f.value} {f.unit} as “{f.label}”
          </Button>
        ))}
        <Button kind="quiet" onClick={() => void navigate(`/run/${runId}`)}>
          Back to the run
        </Button>
      </div>
      {!fits.length && <Message>No field of this step wants such a result.</Message>}
    </section>
  );
}
