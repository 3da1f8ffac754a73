import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ZapOff } from "lucide-react";
import { useState } from "react";
import { ApiFailure, client, unwrap } from "../../api/client";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { FileButton, form } from "../../ui/Files";
import { countdown, moment } from "../../ui/format";
import { Failure, Message } from "../../ui/Message";
import { useNow } from "../../ui/useNow";

function useValidity(tag: string) {
  return useQuery({
    queryKey: ["validity", tag],
    queryFn: () => unwrap(client.GET("/api/v1/instruments/{tag}/validity/", { params: { path: { tag } } })),
    refetchInterval: 15_000,
  });
}

type Validity = NonNullable<ReturnType<typeof useValidity>["data"]>;

function SampleForm({ tag, v }: { tag: string; v: Validity }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [values, setValues] = useState<Record<string, string>>({});
  const add = useMutation({
    mutationFn: (sent: File | null) =>
      unwrap(
        client.POST("/api/v1/instruments/{tag}/samples/", {
          params: { path: { tag } },
          ...form({ name, values: JSON.stringify(values), ...(sent ? { file: sent } : {}) }),
        }),
      ),
    onSuccess: (got) => {
      queries.setQueryData(["validity", tag], got);
      setName("");
      setValues({});
    },
    onError: () => void queries.invalidateQueries({ queryKey: ["validity", tag] }),
  });
  const errors = add.error instanceof ApiFailure ? add.error.byField : {};
  return (
    <form
      className="space-y-3 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate(null);
      }}
    >
      <div className="max-w-md">
        <TextField label="Sample" hint="Where it was drawn, and its number" value={name} onChange={setName} error={errors.name} />
      </div>
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-4">
        {v.components.map((c) => (
          <TextField key={c.name} label={c.name} unit={c.unit} numeric value={values[c.name] ?? ""} onChange={(t) => setValues({ ...values, [c.name]: t })} error={errors[c.name]} />
        ))}
      </div>
      {add.isError && <Failure error={add.error} />}
      <div className="flex flex-wrap gap-2">
        <Button kind="primary" type="submit" disabled={add.isPending}>
          Keep the sample
        </Button>
        <FileButton
          label="By its chromatogram, from a file"
          name="Chromatogram of the sample as a file"
          disabled={add.isPending}
          onFile={(sent) => add.mutate(sent)}
        />
      </div>
    </form>
  );
}

function PowerLost({ tag }: { tag: string }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const [why, setWhy] = useState("");
  const end = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/instruments/{tag}/validity/", { params: { path: { tag } }, body: { why: `Its power was lost: ${why}` } })),
    onSuccess: (got) => void queries.setQueryData(["validity", tag], got),
  });
  if (!asked)
    return (
      <Button onClick={() => setAsked(true)}>
        <ZapOff size={18} aria-hidden="true" /> Its power was lost
      </Button>
    );
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        end.mutate();
      }}
    >
      <TextField label="When, and what happened" value={why} onChange={setWhy} autoFocus />
      <Button kind="primary" type="submit" disabled={end.isPending || why.trim().length < 2}>
        End it now
      </Button>
      {end.isError && <Failure error={end.error} />}
    </form>
  );
}

/** Until when the last calibration stands for samples, and the samples that were taken against it. */
export function Samples({ tag }: { tag: string }) {
  const found = useValidity(tag);
  const mayWork = useMay("work on a run");
  const now = useNow();
  const v = found.data;
  if (!v?.vouches) return null;
  const holds = !v.ended_at && v.until !== null && Date.parse(v.until) > now;
  return (
    <section aria-label="Samples" className="mt-6">
      <h2 className="border-b-2 border-slate font-bold">Samples</h2>
      {holds && v.until ? (
        <div className="flex flex-wrap items-center gap-4 py-2">
          <p>
            {v.run_number} stands for samples until {moment(v.until)}, <strong role="timer">{countdown(Date.parse(v.until) - now)} left</strong>, or until its power is lost.
          </p>
          {mayWork && <PowerLost tag={tag} />}
        </div>
      ) : (
        <Message tone="out" title="No sample can be taken against it">
          {v.run_number} no longer holds{v.ended_at && ` since ${moment(v.ended_at)}`}: {v.why || "its day is over"}
          {v.ended_by && `, told by ${v.ended_by}`}. Calibrate it again first.
        </Message>
      )}
      {holds && mayWork && <SampleForm tag={tag} v={v} />}
      {v.samples.length > 0 && (
        <div className="overflow-x-auto">
          <table className="w-full text-sm tabular-nums">
            <thead>
              <tr className="border-b border-slate">
                <th>Sample</th>
                {v.components.map((c) => (
                  <th key={c.name} className="text-right">
                    {c.name}, {c.unit}
                  </th>
                ))}
                <th className="pl-4">By</th>
              </tr>
            </thead>
            <tbody>
              {v.samples.map((s) => (
                <tr key={s.at + s.name} className="border-b border-rule">
                  <td>{s.name}</td>
                  {v.components.map((c) => {
                    const r = s.results.find((one) => one.name === c.name);
                    return (
                      <td key={c.name} className="text-right whitespace-nowrap">
                        {r ? `${r.value} ± ${r.u}` : "–"}
                      </td>
                    );
                  })}
                  <td className="pl-4">
                    {s.by}, {moment(s.at)}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="text-sm text-muted">± U, k = 2: certificate of the standard, agreement of its injections, and the blank.</p>
        </div>
      )}
    </section>
  );
}
