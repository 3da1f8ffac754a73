import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { useInstruments } from "../../api/queries";
import { Button, LinkButton } from "../../ui/Button";
import { CheckLine, TextField } from "../../ui/fields";
import { KeptNote } from "../../ui/KeptNote";
import { Failure } from "../../ui/Message";
import { useKept } from "../../ui/useKept";
import { usePlans } from "./plans";

const NEW_ROUND = { name: "", day: "", start: "07:30", end: "15:30", musts: "", permitStart: "08:00", permitEnd: "15:00", crew: [] as string[], areas: [] as string[] };

/** A new round: the day, the people with their shifts, the areas, permits, and what must be done whatever its date. */
export function NewRoundPage() {
  const navigate = useNavigate();
  const plans = usePlans();
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 }).data;
  const kept = useKept("round/new", NEW_ROUND);
  const { crew, areas, ...form } = kept.form;
  const setCrew = (crew: string[]) => kept.set((old) => ({ ...old, crew }));
  const setAreas = (areas: string[]) => kept.set((old) => ({ ...old, areas }));
  const change = (name: keyof typeof form) => (value: string) => kept.set((old) => ({ ...old, [name]: value }));
  const shown = plant?.areas ?? [];
  const permitted = shown.filter((a) => a.needs_permit && (!areas.length || areas.includes(a.code)));
  const make = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/plans/", {
          body: {
            name: form.name,
            day: form.day || tomorrow(),
            crew: crew.map((username) => ({ username, start: form.start, end: form.end })),
            areas,
            permits: permitted.map((a) => ({ area: a.code, start: form.permitStart, end: form.permitEnd })),
            musts: form.musts.split(/[\s,;]+/).filter(Boolean),
          },
        }),
      ),
    onSuccess: (made) => {
      kept.stored();
      void navigate(`/plan/${made.id}`);
    },
  });
  const errors = make.error instanceof ApiFailure ? make.error.byField : {};
  const turn = (list: string[], value: string, on: boolean) => (on ? [...list, value] : list.filter((v) => v !== value));
  return (
    <form
      noValidate
      className="mx-auto max-w-4xl space-y-5 p-4 lg:p-6"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <h1 className="text-2xl font-bold">Make a round</h1>
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid gap-4 sm:grid-cols-4">
        <div className="sm:col-span-2">
          <TextField label="Name" value={form.name} onChange={change("name")} hint="Empty: by its day" />
        </div>
        <TextField label="Day" value={form.day || tomorrow()} onChange={change("day")} error={errors.day} hint="Like 2026-12-01" />
      </div>
      <fieldset className="space-y-2">
        <legend className="font-bold">People and shift</legend>
        <div className="grid gap-2 sm:grid-cols-3">
          {(plans.data?.people ?? []).map((p) => (
            <CheckLine key={p.username} label={p.skills.length ? `${p.name} (${p.skills.join(", ")})` : p.name} checked={crew.includes(p.username)} onChange={(on) => setCrew(turn(crew, p.username, on))} />
          ))}
        </div>
        <LinkButton to="/people">Who is qualified for what…</LinkButton>
        {errors.crew && <p className="font-bold text-iron">{errors.crew}</p>}
        <div className="grid gap-4 sm:grid-cols-4">
          <TextField label="Shift from" value={form.start} onChange={change("start")} />
          <TextField label="Shift to" value={form.end} onChange={change("end")} />
        </div>
      </fieldset>
      <fieldset className="space-y-2">
        <legend className="font-bold">Areas, none chosen: the whole plant</legend>
        <div className="grid gap-2 sm:grid-cols-3">
          {shown.map((a) => (
            <CheckLine key={a.code} label={a.needs_permit ? `${a.name} (permit)` : a.name} checked={areas.includes(a.code)} onChange={(on) => setAreas(turn(areas, a.code, on))} />
          ))}
        </div>
        {permitted.length > 0 && (
          <div className="grid gap-4 sm:grid-cols-4">
            <TextField label="Permits from" value={form.permitStart} onChange={change("permitStart")} />
            <TextField label="Permits to" value={form.permitEnd} onChange={change("permitEnd")} error={errors.permits} />
          </div>
        )}
      </fieldset>
      <TextField label="Must be done, whatever its date" value={form.musts} onChange={change("musts")} hint="Tags, one after the other" error={errors.musts} />
      {make.isError && <Failure error={make.error} />}
      <div className="flex justify-end gap-3">
        <LinkButton to="/plan">Leave it</LinkButton>
        <Button kind="primary" type="submit" large disabled={make.isPending}>
          Make it
        </Button>
      </div>
    </form>
  );
}

function tomorrow(): string {
  const at = new Date(Date.now() + 24 * 3600_000);
  return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, "0")}-${String(at.getDate()).padStart(2, "0")}`;
}
