import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run, type Step } from "../../../api/client";
import { ChooseJson, readJson } from "../../../ui/ChooseJson";
import { Button, LinkButton } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Acts, AnotherDevice, Modem, useDevice } from "./Device";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

/** What stands in the device before an act, as it was last read. */
const OLD = ["lrv", "urv", "pv", "ma"];

type Compare = NonNullable<Step["compare"]>;
type Parameter = Compare["rows"][number];

const KIND_OF: Record<string, string> = { read: "before", edit: "read back", after: "after" };
function Cell({ p, value, onChange, error, label }: { p: Parameter; value: string; onChange: (v: string) => void; error?: string; label: string }) {
  const shape = "min-h-12 w-full rounded-md border-2 bg-page px-2 font-bold";
  const edge = error ? "border-iron" : "border-rule-strong";
  if (p.kind === "choice" || p.kind === "flag") {
    const options = p.kind === "flag" ? [{ value: "off", label: "off" }, { value: "on", label: "on" }] : p.options;
    return (
      <select aria-label={label} className={`${shape} ${edge}`} value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="">as it is</option>
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.label}
          </option>
        ))}
      </select>
    );
  }
  return (
    <input
      aria-label={label}
      aria-invalid={Boolean(error)}
      inputMode={p.kind === "number" ? "decimal" : undefined}
      autoComplete="off"
      className={`${shape} ${edge}`}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

function Table({ c, typed, set, errors, typing }: { c: Compare; typed: Record<string, string>; set: (n: string, v: string) => void; errors: Record<string, string>; typing: boolean }) {
  const edits = c.variant === "edit";
  const column = edits && !typing ? "pending" : "typed";
  return (
    <table className="w-full text-[15px]">
      <thead>
        <tr className="border-b-2 border-slate text-sm">
          <th className="font-normal">Parameter</th>
          {c.variant !== "read" && <th className="font-normal">Before</th>}
          <th className="font-normal">Device</th>
          {(edits || typing) && <th className="w-48 font-normal">{typing ? "On the communicator" : "Pending"}</th>}
        </tr>
      </thead>
      <tbody>
        {c.rows.map((p) => (
          <tr key={p.name} className={`border-b border-rule ${p.differs ? "bg-amber-soft" : ""}`}>
            <td className="py-1 pr-2">
              {p.label}
              {p.unit && <span className="text-muted">, {p.unit}</span>}
            </td>
            {c.variant !== "read" && <td className="pr-2 text-muted">{p.before}</td>}
            <td className="pr-2 font-bold">
              {p.device || "–"} {p.differs && <span className="text-sm font-normal">changed</span>}
            </td>
            {(edits || typing) && (
              <td>
                {typing || p.is_settable ? (
                  <>
                    <Cell p={p} value={typed[p.name] ?? ""} onChange={(v) => set(p.name, v)} error={errors[p.name]} label={`${p.label}, ${column}`} />
                    {errors[p.name] && <span className="text-sm font-bold text-iron">{errors[p.name]}</span>}
                    {!typing && p.pending && <span className="text-sm font-bold text-amber">waits to be sent: {p.pending}</span>}
                  </>
                ) : (
                  <span className="text-sm text-muted">fixed</span>
                )}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** A saved parameter file, compared with the device as it is now, also one exchanged; its settable values may become pending. */
function FileCompare({ run, onUse }: { run: Run; onUse: (values: Record<string, string>) => void }) {
  const compare = useMutation({
    mutationFn: async (file: File) => {
      const b: { values?: Record<string, unknown> } = await readJson(file);
      if (!b.values || !Object.keys(b.values).length) {
        throw new ApiFailure(400, { code: "empty_file", message: `${file.name} holds no parameters. Choose a parameter set that was saved here.` });
      }
      const a = (await (await fetch(`/api/v1/runs/${run.id}/parameters/now.json`)).json()) as Record<string, unknown>;
      const rows = await unwrap(client.POST("/api/v1/parameters/compare/", { body: { a, b: b as Record<string, unknown> } }));
      return { name: file.name, rows, values: b.values };
    },
  });
  const found = compare.data;
  const use = () => {
    const wanted: Record<string, string> = {};
    for (const row of found?.rows ?? []) wanted[row.name] = String(found?.values[row.name] ?? "");
    onUse(wanted);
  };
  return (
    <div className="space-y-2">
      <div className="flex flex-wrap gap-3">
        <LinkButton href={`/api/v1/runs/${run.id}/parameters/before.json`}>Save the set before</LinkButton>
        <ChooseJson says="Compare with a saved set" label="A saved parameter set" onChoose={(file) => compare.mutate(file)} />
      </div>
      {compare.isError && <Failure error={compare.error} />}
      {found && (
        <Message tone="info" title={found.rows.length ? `${found.name} differs from the device as it is now` : `${found.name} is the same as the device as it is now`}>
          <ul>
            {found.rows.map((r) => (
              <li key={r.name}>
                {r.label}: {r.a} in the device, {r.b} in the file
              </li>
            ))}
          </ul>
          {found.rows.length > 0 && (
            <Button onClick={use} className="mt-2">
              Take these as edits
            </Button>
          )}
        </Message>
      )}
    </div>
  );
}

/** Device value and pending value side by side; nothing counts until it was sent and read back. */
export function CompareStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const device = useDevice(run);
  const c = step.compare;
  const [typed, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const [typing, setTyping] = useState(false);
  if (!c) return null;
  const live = run.view.sources.some((s) => s.quantity === "device");
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const errors = failure?.byField ?? {};
  const kind = KIND_OF[c.variant] ?? "before";
  const { reason = "", ...values } = typed;
  const busy = append.isPending || device.busy;
  const capture = (as: string) => append.mutate([{ type: "parameters_captured", payload: { step: step.key, kind: as, values } }], { onSuccess: () => { clear(); setTyping(false); } });
  const finish = () => {
    if (!busy) append.mutate([{ type: "step_confirmed", payload: { step: step.key, reason } }], { onSuccess: clear });
  };
  const showTyping = typing || (!live && c.variant !== "edit");
  return (
    <StepFrame
      step={step}
      onSubmit={finish}
      action={
        <>
          {live && c.state !== "pending" && (
            <Button onClick={() => device.read.mutate(kind)} disabled={busy}>
              {c.variant === "edit" ? "Read back" : "Read the device"}
            </Button>
          )}
          {showTyping && (
            <Button onClick={() => capture(kind)} disabled={busy}>
              Keep what I typed
            </Button>
          )}
          {c.variant === "edit" && !showTyping && (
            <Button onClick={() => capture("pending")} disabled={busy}>
              Make pending
            </Button>
          )}
          {c.variant === "edit" && c.state === "pending" && (
            <Button kind="primary" onClick={() => (live ? device.send.mutate() : capture("sent"))} disabled={busy}>
              {live ? "Send to the device" : "I have sent them"}
            </Button>
          )}
          <Button kind={c.state === "pending" ? "plain" : "primary"} type="submit" disabled={busy}>
            {step.confirm_label}
          </Button>
        </>
      }
    >
      <Modem run={run} source={c.source} />
      <Message tone={c.state === "different" ? "out" : c.state === "pending" || c.state === "sent" ? "edge" : "info"}>
        {c.says}
        {c.differences.length > 0 && <span className="block">{c.differences.join("; ")}.</span>}
      </Message>
      {c.register.length > 0 && (
        <Message tone="edge" title="Not as the register has it">
          {c.register.map((says) => (
            <span key={says} className="block">
              {says}
            </span>
          ))}
        </Message>
      )}
      {device.error && <Failure error={device.error} />}
      <AnotherDevice run={run} device={device} />
      {append.isError && <Failure error={append.error} />}
      {failure?.details.needs_reason === true && <TextField label="Why it stands so" value={reason} onChange={(v) => set("reason", v)} />}
      <Table c={c} typed={values} set={set} errors={errors} typing={showTyping} />
      {c.variant === "edit" && (
        <>
          {!live && (
            <Button onClick={() => setTyping(!typing)}>{typing ? "Back to the edits" : "Type what the communicator shows now"}</Button>
          )}
          {live && <Acts run={run} all={c.acts} rows={c.rows.filter((r) => OLD.includes(r.name))} busy={busy} act={(name, value) => device.act.mutate({ act: name, value })} />}
          <FileCompare run={run} onUse={(wanted) => Object.entries(wanted).forEach(([n, v]) => set(n, v))} />
        </>
      )}
    </StepFrame>
  );
}
