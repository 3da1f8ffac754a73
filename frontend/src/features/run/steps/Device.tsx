import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run } from "../../../api/client";
import { useModems } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { ChoiceField, TextField } from "../../../ui/fields";
import { Modal } from "../../../ui/Modal";
import { useAppend, useTakeRun } from "../useRun";

interface Act {
  act: string;
  label: string;
  unit: string;
  warns: string;
}

/** Everything that talks to the transmitter through the server. */
export function useDevice(run: Run) {
  const { take, refresh } = useTakeRun(run.id);
  const path = { path: { run_id: run.id } };
  const read = useMutation({
    mutationKey: ["append", run.id],
    mutationFn: (kind: string) => unwrap(client.POST("/api/v1/runs/{run_id}/device/read/", { params: path, body: { act: kind, value: "" } })),
    onSuccess: take,
  });
  const send = useMutation({
    mutationKey: ["append", run.id],
    mutationFn: () => unwrap(client.POST("/api/v1/runs/{run_id}/device/send/", { params: path })),
    onSuccess: take,
    onError: refresh,
  });
  const act = useMutation({
    mutationKey: ["append", run.id],
    mutationFn: (body: { act: string; value: string }) => unwrap(client.POST("/api/v1/runs/{run_id}/device/act/", { params: path, body })),
    onSuccess: take,
  });
  const accept = useMutation({
    mutationKey: ["append", run.id],
    mutationFn: (reason: string) => unwrap(client.POST("/api/v1/runs/{run_id}/device/accept/", { params: path, body: { reason } })),
    onSuccess: (next) => {
      for (const m of [read, send, act]) m.reset();
      take(next);
    },
  });
  return { read, send, act, accept, error: accept.error ?? read.error ?? send.error ?? act.error, busy: read.isPending || send.isPending || act.isPending };
}

/** Another device answers: nothing was done. One that was exchanged, its tag not set yet, is accepted with a reason. */
export function AnotherDevice({ run, device }: { run: Run; device: ReturnType<typeof useDevice> }) {
  const [reason, setReason] = useState("");
  const failure = [device.read.error, device.send.error, device.act.error].find((e) => e instanceof ApiFailure && e.code === "another_device");
  if (!(failure instanceof ApiFailure) || failure.details.can_accept !== true) return null;
  return (
    <div className="flex max-w-2xl items-end gap-3">
      <div className="flex-1">
        <TextField label={`Why it is ${run.view.instrument.tag} all the same`} value={reason} onChange={setReason} hint="Like: exchanged today, its tag is not set yet. It goes on the record." />
      </div>
      <Button onClick={() => device.accept.mutate(reason)} disabled={device.accept.isPending || reason.trim().length < 5}>
        Accept this device
      </Button>
    </div>
  );
}

export function Modem({ run, source, label = "Parameters are", typed = "typed from the communicator" }: { run: Run; source: string; label?: string; typed?: string }) {
  const append = useAppend(run);
  const modems = useModems(run.view.instrument.tag).data ?? [];
  const chosen = run.view.sources.find((s) => s.quantity === "device")?.signal ?? "";
  const options = [
    { value: "", label: typed },
    ...modems.map((m) => ({ value: m.id, label: `${m.is_wired ? "" : "other: "}${m.label}` })),
  ];
  if (chosen && !modems.some((m) => m.id === chosen)) options.push({ value: chosen, label: source || chosen });
  return (
    <div className="max-w-md">
      <ChoiceField
        label={label}
        value={chosen}
        options={options}
        onChange={(signal) => append.mutate([{ type: "source_chosen", payload: { quantity: "device", signal } }])}
      />
    </div>
  );
}

/** What the device can be told at once; what can't be undone shows what stands there now and asks. given: numbers to begin with. */
export function Acts({ run, all, rows, busy, act, title, given = {} }: { run: Run; all: Act[]; rows: { name: string; label: string; device: string }[]; busy: boolean; act: (act: string, value: string) => void; title?: string; given?: Record<string, string> }) {
  const [typed, setValues] = useState<Record<string, string>>({});
  const values = { ...given, ...typed };
  const [asked, ask] = useState<Act | null>(null);
  const last = run.view.acts.at(-1);
  const send = (a: Act) => {
    ask(null);
    act(a.act, values[a.act] ?? "");
  };
  return (
    <details open={Boolean(title)} className="border-y border-rule">
      <summary className="flex min-h-12 cursor-pointer items-center font-bold">{title ?? "Trims, range by live pressure, loop test, write protection"}</summary>
      <div className="grid gap-2 pb-3 sm:grid-cols-2">
        {all.map((a) => (
          <div key={a.act} className="flex items-end gap-2">
            {a.unit && (
              <div className="w-28">
                <TextField label={a.unit} numeric value={values[a.act] ?? ""} onChange={(v) => setValues({ ...typed, [a.act]: v })} />
              </div>
            )}
            <Button disabled={busy} onClick={() => (a.warns ? ask(a) : send(a))} className="flex-1">
              {a.label}
            </Button>
          </div>
        ))}
      </div>
      {asked && (
        <Modal open onClose={() => ask(null)} title={`${asked.label}${asked.unit ? ` ${values[asked.act] ?? ""} ${asked.unit}` : ""}`}>
          <p>{asked.warns}</p>
          {rows.map((r) => (
            <p key={r.name}>
              {r.label} now: <strong>{r.device}</strong>
            </p>
          ))}
          <div className="flex justify-end gap-3">
            <Button onClick={() => ask(null)}>Not now</Button>
            <Button kind="primary" onClick={() => send(asked)}>
              Send it to the device
            </Button>
          </div>
        </Modal>
      )}
      {last && (
        <p role="status" className="pb-2 text-sm">
          Last: {last.by} {last.words}.
        </p>
      )}
    </details>
  );
}
