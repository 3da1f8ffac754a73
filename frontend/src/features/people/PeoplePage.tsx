import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { CircleCheck, Clock, TriangleAlert } from "lucide-react";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { KeptNote } from "../../ui/KeptNote";
import { Failure, Loading } from "../../ui/Message";
import { LeaveIt } from "../../ui/LeaveIt";
import { useKept } from "../../ui/useKept";
import { Access } from "./Access";

type Person = Schemas["PersonRow"];
type Held = Schemas["Qualification"];

const STANDING: Record<string, { Icon: typeof Clock; tone: string; word: string }> = {
  good: { Icon: CircleCheck, tone: "text-kelp", word: "counts" },
  "ends soon": { Icon: Clock, tone: "text-amber", word: "ends soon" },
  ended: { Icon: TriangleAlert, tone: "text-iron", word: "ended" },
};

const ANOTHER = "another";

/** Who works here, what they are qualified for and until when; given, renewed and taken away by whoever plans the work. */
export function PeoplePage() {
  const queries = useQueryClient();
  const list = useQuery({ queryKey: ["people"], queryFn: () => unwrap(client.GET("/api/v1/people/")) });
  const may = useMay("give a qualification");
  const mayLook = useMay("look after people");
  const [at, setAt] = useState("");
  if (list.isPending) return <Loading what="the people" />;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const done = (now: Schemas["People"]) => {
    queries.setQueryData(["people"], now);
    void queries.invalidateQueries({ queryKey: ["plans"] });
    setAt("");
  };
  return (
    <div className="mx-auto max-w-5xl space-y-5 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">{mayLook ? "People" : "People and what they are qualified for"}</h1>
      {mayLook && <Access />}
      {mayLook && <h2 className="text-xl font-bold">What they are qualified for</h2>}
      <p className="max-w-prose text-muted">
        Asked when a round is planned, for its day, and when work starts. Work that takes one is refused to others, or taken with a supervisor’s name, as the{" "}
        <Link to="/policies" className="font-bold text-water underline">
          policy
        </Link>{" "}
        says.
      </p>
      {list.data.people.map((p) => (
        <section key={p.username} aria-label={p.name} className="border-t-2 border-slate bg-page">
          <div className="flex flex-wrap items-center gap-3 border-b border-rule px-3 py-1">
            <h2 className="mr-auto text-lg font-bold">
              {p.name} <span className="font-normal text-muted">{p.role}</span>
            </h2>
            {p.may_give && at !== p.username && <Button onClick={() => setAt(p.username)}>Add or renew</Button>}
          </div>
          {p.qualifications.map((q) => (
            <HeldLine key={q.id} q={q} may={may} onDone={done} />
          ))}
          {p.qualifications.length === 0 && <p className="px-3 py-2 text-muted">Nothing is entered.</p>}
          {at === p.username && <GiveForm person={p} names={list.data.names} onDone={done} onLeave={() => setAt("")} />}
          {p.before.length > 0 && (
            <details className="px-3 py-1 text-sm">
              <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">Before</summary>
              {p.before.map((q) => (
                <p key={q.id} className="pb-2 text-muted">
                  {q.name}, {q.until ? `until ${day(q.until)}` : "without an end"}, given by {q.given_by}: {q.why}
                </p>
              ))}
            </details>
          )}
        </section>
      ))}
    </div>
  );
}

function HeldLine({ q, may, onDone }: { q: Held; may: boolean; onDone: (now: Schemas["People"]) => void }) {
  const [asked, setAsked] = useState(false);
  const [why, setWhy] = useState("");
  const end = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/qualifications/{qualification_id}/end/", { params: { path: { qualification_id: q.id } }, body: { why } })),
    onSuccess: onDone,
  });
  const { Icon, tone, word } = STANDING[q.standing] ?? { Icon: Clock, tone: "", word: q.standing };
  return (
    <div className="border-b border-rule px-3">
      <div className="grid min-h-13 items-center gap-x-4 sm:grid-cols-[11rem_17rem_1fr_auto]">
        <span className="font-bold">{q.name}</span>
        <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
          <Icon size={18} aria-hidden="true" /> {word}
          {q.until ? `, until ${day(q.until)}` : ""}
        </span>
        <span className="text-sm text-muted">
          {q.proof && `${q.proof}, `}entered by {q.given_by}
        </span>
        {may && !asked && <Button onClick={() => setAsked(true)}>Take away</Button>}
      </div>
      {asked && (
        <form
          className="flex flex-wrap items-end gap-3 pb-3"
          onSubmit={(e) => {
            e.preventDefault();
            end.mutate();
          }}
        >
          <div className="w-96 max-w-full">
            <TextField label={`Why ${q.name} is taken away`} value={why} onChange={setWhy} autoFocus error={end.error?.message} />
          </div>
          <Button type="submit" kind="danger" disabled={end.isPending}>
            Take it away
          </Button>
          <Button onClick={() => setAsked(false)}>Leave it</Button>
        </form>
      )}
    </div>
  );
}

function GiveForm({ person, names, onDone, onLeave }: { person: Person; names: string[]; onDone: (now: Schemas["People"]) => void; onLeave: () => void }) {
  const kept = useKept(`qualification/${person.username}`, { chosen: "", other: "", until: "", proof: "" });
  const { chosen, ...form } = kept.form;
  const change = (name: keyof typeof kept.form) => (value: string) => kept.set((old) => ({ ...old, [name]: value }));
  const give = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/people/{username}/qualifications/", {
          params: { path: { username: person.username } },
          body: { name: chosen === ANOTHER ? form.other : chosen, until: form.until, proof: form.proof },
        }),
      ),
    onSuccess: (now) => {
      kept.stored();
      onDone(now);
    },
  });
  const errors = give.error instanceof ApiFailure ? give.error.byField : {};
  const submit = (e: FormEvent) => {
    e.preventDefault();
    give.mutate();
  };
  return (
    <form noValidate onSubmit={submit} className="space-y-3 border-b border-rule bg-water-soft p-3">
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid gap-4 sm:grid-cols-2 lg:grid-cols-4">
        <ChoiceField
          label={`What ${person.name} is qualified for`}
          value={chosen}
          onChange={change("chosen")}
          options={[...names.map((n) => ({ value: n, label: n })), { value: ANOTHER, label: "something else" }]}
          error={chosen === ANOTHER ? undefined : errors.name}
        />
        {chosen === ANOTHER && <TextField label="What for" value={form.other} onChange={change("other")} error={errors.name} autoFocus />}
        <TextField label="Last day" value={form.until} onChange={change("until")} hint="Like 2027-12-01; empty: no end" error={errors.until} />
        <TextField label="What shows it" value={form.proof} onChange={change("proof")} hint="Number of its certificate, where it is filed" error={errors.proof} />
      </div>
      {give.isError && !Object.keys(errors).length && <Failure error={give.error} />}
      <div className="flex gap-3">
        <Button type="submit" kind="primary" disabled={give.isPending}>
          Enter it
        </Button>
        <LeaveIt kept={kept} onLeave={onLeave} />
      </div>
    </form>
  );
}
