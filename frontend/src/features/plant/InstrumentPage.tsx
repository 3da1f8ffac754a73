import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useInstrument } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { day, moment, signedPercent } from "../../ui/format";
import { ChoiceField, TextField } from "../../ui/fields";
import { asForm, FileList, Upload } from "../../ui/Files";
import { Failure, Loading, Message } from "../../ui/Message";
import { KeptNote } from "../../ui/KeptNote";
import { Modal } from "../../ui/Modal";
import { useKept } from "../../ui/useKept";
import { Verdict } from "../../ui/Verdict";
import { Duties } from "../today/Duties";
import { NotStarted } from "../today/NotStarted";
import { useStart } from "../today/useStart";
import { HistoryPlot } from "./HistoryPlot";
import { Samples } from "./Samples";
import { Trends } from "./Trends";

type Instrument = Schemas["InstrumentPageData"];

function Facts({ i }: { i: Instrument }) {
  const made = [i.form.maker, i.form.model, i.form.device_revision && `revision ${i.form.device_revision}`].filter(Boolean).join(", ");
  const rows: [string, string][] = [
    ["Serial", i.serial],
    ...(made ? ([["Made by", made]] as [string, string][]) : []),
    ...(i.form.asset_number ? ([["Asset", i.form.asset_number]] as [string, string][]) : []),
    ["Area", i.area],
    ["Range", i.range],
    ["Output", i.output],
    ["Tolerance", i.tolerance],
    ["Method", i.method_title],
    ["Warm-up", i.form.warm_up_min === "0" ? "none" : `${i.form.warm_up_min} min`],
    ["Feeds", i.form.feeds || "nothing noted"],
    ["Due", i.due_reason],
  ];
  return (
    <dl className="grid grid-cols-[110px_1fr]">
      {rows.map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="border-b border-rule py-1.5 text-muted">{name}</dt>
          <dd className="border-b border-rule py-1.5">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

function Results({ i }: { i: Instrument }) {
  if (!i.results.length) return <p className="py-3 text-muted">No calibration on record yet.</p>;
  return (
    <table className="w-full">
      <thead>
        <tr className="border-b-2 border-slate">
          <th className="py-1">Record</th>
          <th>Signed</th>
          <th>As found</th>
          <th className="text-right">Largest error</th>
          <th className="pl-6">As left</th>
          <th className="text-right">Largest error</th>
          <th className="pl-6">By</th>
        </tr>
      </thead>
      <tbody>
        {i.results.map((r) => (
          <tr key={r.id} className="border-b border-rule">
            <td>
              <Link to={r.status === "open" ? `/run/${r.id}` : `/records/${r.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline-offset-4 hover:underline">
                {r.number}
              </Link>
            </td>
            <td>{r.signed_at ? day(r.signed_at) : r.status}</td>
            <td>
              <Verdict verdict={r.found_verdict || null} size={14} />
            </td>
            <td className="text-right">{signedPercent(r.found_error)}</td>
            <td className="pl-6">
              <Verdict verdict={r.left_verdict || null} size={14} />
            </td>
            <td className="text-right">{signedPercent(r.left_error)}</td>
            <td className="pl-6">{r.technician}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function InstrumentPage() {
  const { tag = "" } = useParams();
  const query = useInstrument(tag);
  const mayEdit = useMay("edit the plant");
  const mayStart = useMay("start a run");
  const start = useStart();
  if (query.isPending) return <Loading what={tag} />;
  if (query.isError) {
    const near = query.error instanceof ApiFailure && typeof query.error.details.suggestion === "string" ? query.error.details.suggestion : null;
    return (
      <div className="mx-auto max-w-3xl space-y-3 p-6">
        <Failure error={query.error} />
        {near && <LinkButton to={`/plant/${encodeURIComponent(near)}`}>Open {near}</LinkButton>}
        <LinkButton to="/plant">Search the plant</LinkButton>
      </div>
    );
  }
  const i = query.data;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-4 flex flex-wrap items-center gap-4">
        <h1 className="mr-auto">
          <span className="text-3xl font-bold">{i.tag}</span> <span className="text-xl">{i.service}</span>
          {i.names_before.length > 0 && <span className="block text-base text-muted">Its tag was {i.names_before.join(", then ")}.</span>}
        </h1>
        {i.follows_life && <LinkButton to={`/plant/${encodeURIComponent(i.tag)}/sensor`}>Sensor life</LinkButton>}
        {mayEdit && <LinkButton to={`/plant/${encodeURIComponent(i.tag)}/edit`}>Edit</LinkButton>}
        {mayEdit && <Use key={i.state} i={i} />}
        {i.open_run ? (
          <LinkButton to={`/run/${i.open_run}`} kind="primary">
            Resume the open run
          </LinkButton>
        ) : (
          mayStart &&
          i.is_runnable &&
          i.state === "in use" && (
            <>
              {i.methods.slice(1).map((m) => (
                <Button key={m.value} onClick={() => start.mutate({ tag: i.tag, method: m.value })} disabled={start.isPending}>
                  {m.label}
                </Button>
              ))}
              {i.has_points && <OtherPoints i={i} start={start} />}
              <Button kind="primary" onClick={() => start.mutate(i.tag)} disabled={start.isPending}>
                Start a calibration
              </Button>
            </>
          )
        )}
      </div>
      {i.state !== "in use" && (
        <div className="mb-4">
          <Message tone="edge">{i.due_reason}</Message>
        </div>
      )}
      {i.doubt && (
        <div className="mb-4">
          <Message tone="out" title="Not to be relied on">
            {i.doubt[0]?.toUpperCase() + i.doubt.slice(1)}. It is due at once; a calibration left inside its limits takes this away. Until then see that
            something else watches in its place.
          </Message>
        </div>
      )}
      <Duties tag={i.tag} />
      <NotStarted start={start} />
      {!i.is_runnable && <Message>The method “{i.method_title}” is not here. Choose another in the register, or use the site’s paper procedure.</Message>}
      {i.form.hazards && (
        <Message tone="edge" title="Caution">
          {i.form.hazards}
        </Message>
      )}
      <div className="mt-4 grid gap-8 lg:grid-cols-[380px_minmax(0,1fr)]">
        <div>
          <Facts i={i} />
          {i.functions.map((f) => (
            <p key={f.code} className="border-b border-rule py-1 text-sm">
              Belongs to{" "}
              <Link to={`/safety/${encodeURIComponent(f.code)}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
                {f.code}
              </Link>{" "}
              {f.says}
            </p>
          ))}
          {i.detail_words.length > 0 && (
            <>
              <h2 className="mt-6 border-b-2 border-slate font-bold">What its method needs to know</h2>
              <ul className="text-sm">
                {i.detail_words.map((d) => (
                  <li key={d} className="border-b border-rule py-1">
                    {d}
                  </li>
                ))}
              </ul>
            </>
          )}
          <h2 className="mt-6 border-b-2 border-slate font-bold">Policies in force</h2>
          <ul className="text-sm">
            {i.policies.map((p) => (
              <li key={p} className="border-b border-rule py-1">
                {p}
              </li>
            ))}
          </ul>
        </div>
        <div className="min-w-0">
          <h2 className="font-bold">Last results</h2>
          <HistoryPlot results={i.results} tolerance={i.tolerance} />
          <div className="overflow-x-auto">
            <Results i={i} />
          </div>
          <Samples tag={i.tag} />
          <Trends tag={i.tag} />
          <Happened tag={i.tag} />
          <Documents i={i} />
          <h2 className="mt-6 border-b-2 border-slate font-bold">Changes of the register</h2>
          <ul className="text-sm">
            {i.changes.map((c) => (
              <li key={c.at} className="border-b border-rule py-1">
                {moment(c.at)}, {c.by}: {c.reason} {c.what.join("; ")}
              </li>
            ))}
          </ul>
        </div>
      </div>
    </div>
  );
}

/** Taken out of use, retired, or taken back, with a reason. */
function Use({ i }: { i: Instrument }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [state, setState] = useState(i.uses[0]?.value ?? "");
  const [reason, setReason] = useState("");
  const act = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/instruments/{tag}/use/", { params: { path: { tag: i.tag } }, body: { state, reason } })),
    onSuccess: () => {
      setOpen(false);
      void queries.invalidateQueries();
    },
  });
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  const run = act.error instanceof ApiFailure && typeof act.error.details.run === "string" ? act.error.details.run : null;
  return (
    <>
      <Button onClick={() => setOpen(true)}>{i.state === "in use" ? "Take out of use" : "Take back into use"}</Button>
      <Modal open={open} onClose={() => setOpen(false)} title={`${i.tag}: ${i.state} now`}>
        <form
          className="space-y-3"
          onSubmit={(e) => {
            e.preventDefault();
            act.mutate();
          }}
        >
          <ChoiceField label="It is to be" value={state} onChange={setState} options={i.uses} error={errors.state && !run ? errors.state : undefined} />
          <TextField label="Why" value={reason} onChange={setReason} error={errors.reason} autoFocus />
          <p className="text-sm text-muted">
            {state === "in use" ? "It is due at once: what stood in a store is proved before it counts." : "It is due no more, and no run is started on it. Its history stays."}
          </p>
          {act.isError && (run !== null || !(errors.reason || errors.state)) && <Failure error={act.error} />}
          {run && <LinkButton to={`/run/${run}`}>Open that run</LinkButton>}
          <Button type="submit" kind={state === "in use" ? "primary" : "danger"} disabled={act.isPending}>
            Store it
          </Button>
        </form>
      </Modal>
    </>
  );
}

/** Data sheets, procedures, drawings. */
function Documents({ i }: { i: Instrument }) {
  const mayEdit = useMay("edit the plant");
  const queries = useQueryClient();
  if (!mayEdit && !i.files.length) return null;
  return (
    <section aria-label="Documents" className="mt-6 space-y-2">
      <h2 className="border-b-2 border-slate font-bold">Documents</h2>
      <FileList files={i.files} path="/api/v1/documents/" />
      {mayEdit && (
        <Upload
          label="Attach a document"
          send={(file) => unwrap(client.POST("/api/v1/instruments/{tag}/files/", { params: { path: { tag: i.tag } }, ...asForm(file) }))}
          onDone={() => void queries.invalidateQueries()}
        />
      )}
    </section>
  );
}

/** Test points and cycles of one run, other than the register has them. */
function OtherPoints({ i, start }: { i: Instrument; start: ReturnType<typeof useStart> }) {
  const [open, setOpen] = useState(false);
  const [form, setForm] = useState({ points: i.form.points_percent, cycles: i.form.cycles });
  return (
    <>
      <Button onClick={() => setOpen(true)}>Other points…</Button>
      <Modal open={open} onClose={() => setOpen(false)} title={`Points for this run of ${i.tag}`}>
        <form
          className="space-y-3"
          onSubmit={(e) => {
            e.preventDefault();
            start.mutate({ tag: i.tag, ...form });
          }}
        >
          <TextField label="Test points" unit="%" hint="Like 0 25 50 75 100, or 10 50 90; rising. Empty: as its method has them" value={form.points} onChange={(points) => setForm({ ...form, points })} autoFocus />
          <TextField label="Cycles" numeric hint="1 to 3" value={form.cycles} onChange={(cycles) => setForm({ ...form, cycles })} />
          <Button kind="primary" type="submit" disabled={start.isPending}>
            Start with these
          </Button>
        </form>
        <NotStarted start={start} />
      </Modal>
    </>
  );
}

/** What happened to it, so that it falls due whatever its interval says. */
function Happened({ tag }: { tag: string }) {
  const may = useMay("report what happened");
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const kept = useKept(`happened/${tag}`, { kind: "power-down", note: "", minutes: "" });
  const { form } = kept;
  const setForm = (next: typeof form) => kept.set(() => next);
  const kinds = useQuery({ queryKey: ["due", "kinds"], queryFn: () => unwrap(client.GET("/api/v1/due/", { params: { query: { days: "0" } } })), enabled: open });
  const report = useMutation({
    mutationFn: async () => {
      const { error, response } = await client.POST("/api/v1/instruments/{tag}/happened/", { params: { path: { tag } }, body: form });
      if (error !== undefined) throw new ApiFailure(response.status, error);
    },
    onSuccess: () => {
      kept.drop();
      setOpen(false);
      void queries.invalidateQueries();
    },
  });
  if (!may) return null;
  return (
    <div className="mt-4">
      <Button onClick={() => setOpen(true)}>Something happened to it…</Button>
      {open && (
        <Modal open onClose={() => setOpen(false)} title={`What happened to ${tag}`}>
          <form
            className="space-y-3"
            onSubmit={(e) => {
              e.preventDefault();
              report.mutate();
            }}
          >
            {kept.isKept && <KeptNote onDrop={kept.drop} />}
            <ChoiceField label="What" value={form.kind} onChange={(kind) => setForm({ ...form, kind })} options={kinds.data?.triggers ?? [{ value: form.kind, label: "…" }]} />
            <TextField label="Due in" unit="min" numeric hint="Empty: at once; to zero again once warm: 20" value={form.minutes} onChange={(minutes) => setForm({ ...form, minutes })} />
            <TextField label="Note" value={form.note} onChange={(note) => setForm({ ...form, note })} />
            {report.isError && <Failure error={report.error} />}
            <Button kind="primary" type="submit" disabled={report.isPending}>
              It makes it due
            </Button>
          </form>
        </Modal>
      )}
    </div>
  );
}
