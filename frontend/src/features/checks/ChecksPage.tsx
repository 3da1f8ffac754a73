import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { useGas } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { CheckLine, ChoiceField, TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { useDraftForm } from "../../ui/useDraft";
import { AMBIENT, GasChoice, isWhole, type Gas } from "./GasChoice";
import { useCheckRounds, useChecksDue } from "./checks";

const REMINDERS = [
  { value: "reset", label: "Reset at each of them" },
  { value: "none", label: "They have none" },
];

function Rounds() {
  const rounds = useCheckRounds();
  if (!rounds.data?.length) return null;
  return (
    <section aria-label="Rounds under way">
      <h2 className="border-b-2 border-water pb-1 text-lg font-bold">Under way</h2>
      {rounds.data.map((r) => (
        <Link key={r.id} to={`/checks/${r.id}`} className="flex min-h-13 flex-wrap items-center gap-x-4 border-b border-rule px-3 hover:bg-water-soft">
          <strong>{r.is_mine ? "Your round" : `Round of ${r.by}`}</strong>
          <span>
            {r.done} of {r.jobs} done
          </span>
          <span className="text-muted">since {moment(r.made_at)}</span>
          <span className="ml-auto font-bold text-water">{r.is_mine ? "Go on" : "Look"}</span>
        </Link>
      ))}
    </section>
  );
}

/** Function checks that are due, and a round made of them: what holds for all is said once. */
export function ChecksPage() {
  const navigate = useNavigate();
  const mayStart = useMay("start a run");
  const [area, setArea] = useState("");
  const due = useChecksDue("");
  const kit = useGas();
  const [chosen, setChosen] = useState<string[]>([]);
  const [gases, setGases] = useState<Gas[]>([]);
  const [said, set, clear] = useDraftForm("checks/new");
  const make = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/checks/", { body: { tags: chosen, said: { minutes: "30", ...said }, gases } })),
    onSuccess: (made) => {
      clear();
      void navigate(`/checks/${made.id}`);
    },
  });
  if (due.isPending || kit.isPending) return <Loading what="the checks that are due" />;
  if (due.isError) return <Failure error={due.error} retry={() => void due.refetch()} />;
  if (kit.isError) return <Failure error={kit.error} />;
  const rows = due.data.filter((r) => !area || r.area_code === area || `vote ${r.voting_group}` === area);
  const votes = [...new Set(due.data.map((r) => r.voting_group).filter(Boolean))].map((v) => ({ value: `vote ${v}`, label: `Votes in ${v}` }));
  const free = rows.filter((r) => !r.run);
  const areas = [...new Map(due.data.map((r) => [r.area_code, r.area])).entries()];
  const errors = make.error instanceof ApiFailure ? make.error.byField : {};
  const field = (name: string, label: string, more: Partial<Parameters<typeof TextField>[0]> = {}) => (
    <TextField label={label} value={said[name] ?? ""} onChange={(v) => set(name, v)} error={errors[name]} {...more} />
  );
  return (
    <div className="mx-auto max-w-6xl space-y-5 p-4 lg:p-6">
      <div>
        <h1 className="text-2xl font-bold">Function checks</h1>
        <p className="max-w-prose">
          Choose the detectors, say once what holds for all of them, then go from one to the next: hold on, gas on, what it reads, hold off. Each has a
          record of its own; one signature at the end.
        </p>
      </div>
      <Rounds />
      {due.data.length === 0 ? (
        <Message>
          No function check is due within 30 days. How often each is checked stands in its register entry, as “Days between function checks”.
        </Message>
      ) : (
        <>
          <section aria-label="Due">
            <div className="flex flex-wrap items-end gap-3 border-b-2 border-slate pb-2">
              <h2 className="mr-auto text-lg font-bold">
                Due within 30 days <span className="font-normal text-muted">{rows.length}</span>
              </h2>
              {areas.length + votes.length > 1 && (
                <div className="w-72">
                  <ChoiceField
                    label="Area or vote"
                    value={area}
                    options={[{ value: "", label: "All areas" }, ...areas.map(([value, label]) => ({ value, label })), ...votes]}
                    onChange={setArea}
                  />
                </div>
              )}
              {mayStart && (
                <Button onClick={() => setChosen([...new Set([...chosen, ...free.map((r) => r.tag)])])} disabled={!free.length}>
                  Choose all {free.length}
                </Button>
              )}
              {chosen.length > 0 && <Button onClick={() => setChosen([])}>Choose none</Button>}
            </div>
            {rows.map((r) =>
              r.run || !mayStart ? (
                <p key={r.tag} className="flex min-h-13 flex-wrap items-center gap-x-3 border-b border-rule px-3">
                  <strong>{r.tag}</strong> {r.service}, {r.area} <span className="text-muted">{r.why}</span>
                  {r.run && (
                    <Link to={`/run/${r.run}`} className="ml-auto inline-flex min-h-12 items-center font-bold text-water underline">
                      under way
                    </Link>
                  )}
                </p>
              ) : (
                <CheckLine
                  key={r.tag}
                  label={`${r.tag}, ${r.service}, ${r.area}`}
                  more={`${r.why}${r.voting_group ? ` Votes in ${r.voting_group}.` : ""}`}
                  checked={chosen.includes(r.tag)}
                  onChange={(on) => setChosen(on ? [...chosen, r.tag] : chosen.filter((t) => t !== r.tag))}
                />
              ),
            )}
          </section>
          {mayStart && chosen.length > 0 && (
            <form
              className="space-y-5"
              onSubmit={(e) => {
                e.preventDefault();
                if (!make.isPending) make.mutate();
              }}
            >
              <section aria-label="Said once">
                <h2 className="border-b-2 border-slate pb-1 text-lg font-bold">Said once for all</h2>
                <div className="grid gap-4 pt-3 sm:grid-cols-2 lg:grid-cols-3">
                  {field("operator", "Operator told (name)")}
                  {field("permit", "Permit number", { hint: "Where an area needs one." })}
                  {field("temperature", "Air temperature", { unit: "°C", numeric: true })}
                  {field("pressure_kpa", "Air pressure", { unit: "kPa", numeric: true, hint: "Where an oxygen cell follows it." })}
                  {field("stand_in", "What stands in meanwhile", { hint: "Like a patrol with a portable; it goes into each hold." })}
                  {field("minutes", "Each hold for", { unit: "min", numeric: true, placeholder: "30" })}
                  <ChoiceField label="Their own reminders" value={said.reminder ?? ""} options={REMINDERS} onChange={(v) => set("reminder", v)} error={errors.reminder} />
                </div>
              </section>
              <GasChoice kit={kit.data} chosen={gases} onChange={setGases} />
              {gases.some((g) => g.bottle === AMBIENT) && field("air_why", "Why ambient air will do, and where it is taken")}
              {make.isError && <Failure error={make.error} />}
              <div className="flex justify-end">
                {!isWhole(gases) && <p className="mr-4 self-center">Choose the regulator and line of each bottle.</p>}
                <Button kind="primary" type="submit" large disabled={make.isPending || !isWhole(gases)}>
                  Start the round of {chosen.length}
                </Button>
              </div>
            </form>
          )}
        </>
      )}
    </div>
  );
}
