import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useInstruments } from "../../api/queries";
import { nowSeen } from "../../api/seen";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { CheckLine, TextField } from "../../ui/fields";
import { Failure, Loading } from "../../ui/Message";
import { useKept } from "../../ui/useKept";

type Area = Schemas["Area"];

function AreaLine({ area, mayEdit }: { area: Area | null; mayEdit: boolean }) {
  const queries = useQueryClient();
  const start = { code: area?.code ?? "", name: area?.name ?? "", needs_permit: area?.needs_permit ?? false, east_m: String(area?.east_m ?? 0), north_m: String(area?.north_m ?? 0) };
  const kept = useKept(`areas/${area?.code ?? "new"}`, start);
  const { form, seen, drop } = kept;
  const setForm = (next: typeof start) => kept.set(() => next);
  const isChanged = JSON.stringify(form) !== JSON.stringify(seen);
  const isBehind = !isChanged && JSON.stringify(seen) !== JSON.stringify(start);
  useEffect(() => {
    if (isBehind) drop(); // as it is stored now: shown at once where nothing was typed here
  });
  const save = useMutation({
    mutationFn: () => unwrap(client.PUT("/api/v1/areas/{code}/", { params: { path: { code: form.code || "-" } }, body: area ? { ...form, seen } : { ...form, is_new: true } })),
    onError: (error) => kept.setSeen((was) => nowSeen(was, error)),
    onSuccess: () => {
      if (area) kept.setSeen(() => form);
      else drop();
      void queries.invalidateQueries({ queryKey: ["instruments"] });
    },
  });
  const errors = save.error instanceof ApiFailure ? save.error.byField : {};
  const text = (name: "code" | "name" | "east_m" | "north_m", label: string, unit?: string) => (
    <TextField label={label} unit={unit} value={form[name]} onChange={(v) => setForm({ ...form, [name]: v })} error={errors[name]} numeric={name.endsWith("_m")} />
  );
  return (
    <li className="border-b border-rule bg-page px-3 py-3">
      <form
        aria-label={area ? `Area ${area.code}` : "New area"}
        className="grid items-end gap-3 sm:grid-cols-[7rem_1fr_9rem_9rem_11rem_auto]"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        {area ? <strong className="self-center text-lg">{area.code}</strong> : text("code", "Code")}
        {text("name", "Name")}
        {text("east_m", "East", "m")}
        {text("north_m", "North", "m")}
        <CheckLine label="Needs a permit" checked={form.needs_permit} onChange={(on) => setForm({ ...form, needs_permit: on })} />
        {mayEdit && (
          <Button type="submit" disabled={save.isPending || !isChanged}>
            {area ? "Store" : "Add it"}
          </Button>
        )}
      </form>
      {kept.isKept && (
        <p role="status" className="mt-2 flex flex-wrap items-center gap-3">
          Typed before and not stored yet. <Button onClick={drop}>Give it up</Button>
        </p>
      )}
      {save.isError && Object.keys(errors).length === 0 && <Failure error={save.error} />}
    </li>
  );
}

/** The areas with their place on the plan of the site, from which rounds take their walking times. */
export function AreasPage() {
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 });
  const mayEdit = useMay("edit the plant");
  if (plant.isPending) return <Loading what="the areas" />;
  if (plant.isError) return <Failure error={plant.error} />;
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Areas</h1>
        <LinkButton to="/plant">Back to the plant</LinkButton>
      </div>
      <p className="text-muted">Metres on the plan of the site, from any one corner: rounds reckon their walking from them.</p>
      <ul className="border-t-2 border-slate">
        {plant.data.areas.map((a) => (
          <AreaLine key={a.code} area={a} mayEdit={mayEdit} />
        ))}
        {mayEdit && <AreaLine key="new" area={null} mayEdit />}
      </ul>
    </div>
  );
}
