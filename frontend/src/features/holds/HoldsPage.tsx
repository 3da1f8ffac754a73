import { useState } from "react";
import { useHolds } from "../../api/queries";
import { useMay, usePerson } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { moment, when } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { useNow } from "../../ui/useNow";
import { Due } from "./Due";
import { ExtendForm, HandOverForm, ReleaseForm, useHoldAct, type HoldRow } from "./HoldForms";

const FORMS = { extend: ExtendForm, "hand over": HandOverForm, release: ReleaseForm };
const TITLES = { extend: "It takes longer", "hand over": "Hand the hold over", release: "Release the hold" };

function Accept({ hold }: { hold: HoldRow }) {
  const act = useHoldAct(hold, () => undefined);
  return (
    <>
      <Button kind="primary" onClick={() => act.mutate({ act: "accept" })} disabled={act.isPending}>
        Take it over
      </Button>
      {act.isError && <Failure error={act.error} />}
    </>
  );
}

/** Every hold that is on: who, why, since, until, and what is not guarded meanwhile. */
export function HoldsPage() {
  const holds = useHolds();
  const now = useNow(5_000);
  const me = usePerson();
  const may = useMay("work on a run");
  const leads = useMay("end another's hold");
  const [open, setOpen] = useState<{ hold: HoldRow; what: keyof typeof FORMS } | null>(null);
  if (holds.isPending) return <Loading what="the holds" />;
  if (holds.isError) return <Failure error={holds.error} retry={() => void holds.refetch()} />;
  const Form = open ? FORMS[open.what] : null;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <h1 className="text-2xl font-bold">Holds: {holds.data.length ? `${holds.data.length} on now` : "none on"}</h1>
        <span className="ml-auto">
          <LinkButton to="/wall">Wall screen</LinkButton>
        </span>
      </div>
      {!holds.data.length && <Message>Every instrument is in service. A hold shows here from the moment it is placed until it is released.</Message>}
      <ul className="border-t-2 border-slate">
        {holds.data.map((h) => (
          <li key={h.id} className={`grid gap-x-6 gap-y-1 border-b border-rule border-l-8 px-4 py-2 lg:grid-cols-[15rem_1fr_auto] ${now > Date.parse(h.until) ? "border-l-iron bg-iron-soft" : "border-l-amber"}`}>
            <div>
              <p className="text-xl font-bold">{h.tag}</p>
              <p className="text-sm text-muted">{h.area}</p>
              <p className="font-bold">{h.kind} is on</p>
            </div>
            <div>
              <p>
                <strong>{h.holder_name}</strong>
                {h.holder === me.username && " (you)"}: {h.reason}
              </p>
              <p className="text-sm">
                Since {moment(h.placed_at)}, planned until {when(h.until)}. <Due hold={h} now={now} />
              </p>
              <p className="text-sm">{h.risk}</p>
              {h.still.length > 0 && <p className="font-bold text-iron">{h.still.join(" ")}</p>}
              {h.extended.map((told) => (
                <p key={told} className="text-sm">
                  Longer: {told}
                </p>
              ))}
              {h.note && <p className="text-sm">To know: {h.note}</p>}
              {h.approval && <p className="text-sm">Approved: {h.approval}</p>}
              {h.offered_to && <p className="text-sm font-bold text-amber">Handed over to {h.offered_name}, who has not accepted it yet.</p>}
              {h.agreement && <p className="text-sm font-bold text-amber">Together with another of its group, agreed: {h.agreement}</p>}
              {h.run_status === "voided" && <p className="text-sm font-bold text-iron">Its run {h.run_number} was voided; the hold is still on.</p>}
            </div>
            <div className="flex flex-wrap items-center justify-end gap-2">
              {h.run_status !== "voided" && <LinkButton to={`/run/${h.run}`}>{h.at_step || "Open the run"}</LinkButton>}
              {h.offered_to === me.username && <Accept hold={h} />}
              {may && (
                <>
                  <Button onClick={() => setOpen({ hold: h, what: "extend" })}>Takes longer</Button>
                  <Button onClick={() => setOpen({ hold: h, what: "hand over" })}>Hand over</Button>
                </>
              )}
              {(may || leads) && (
                <Button kind={h.run_status === "voided" ? "primary" : "plain"} onClick={() => setOpen({ hold: h, what: "release" })}>
                  Release
                </Button>
              )}
            </div>
          </li>
        ))}
      </ul>
      {open && Form && (
        <Modal open onClose={() => setOpen(null)} title={`${TITLES[open.what]}: ${open.hold.tag}`}>
          <Form hold={open.hold} onDone={() => setOpen(null)} />
        </Modal>
      )}
    </div>
  );
}
