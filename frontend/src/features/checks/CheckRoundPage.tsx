import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { client, unwrap } from "../../api/client";
import { useGas } from "../../api/queries";
import { Button, LinkButton } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { Ring } from "../../ui/Ring";
import { SignMany } from "../../ui/SignMany";
import { Verdict } from "../../ui/Verdict";
import { CheckCard } from "./CheckCard";
import { GasChoice, isWhole, type Gas } from "./GasChoice";
import { useCheckRound, type CheckJob, type CheckRound } from "./checks";

const WORDS: Record<string, string> = { "to do": "", "at work": "at work", ready: "ready", signed: "signed", accepted: "signed", voided: "voided", "set aside": "set aside", "passed over": "not now" };
const DONE = ["ready", "signed", "accepted"];

/** What is next: what is at work, else the next to do in walking order from where one is. */
function nextOf(jobs: CheckJob[], from: string): CheckJob | undefined {
  const at = jobs.findIndex((j) => j.tag === from) + 1;
  const onward = [...jobs.slice(at), ...jobs.slice(0, at)];
  return onward.find((j) => j.state === "at work" && j.tag !== from) ?? onward.find((j) => j.state === "to do" && j.tag !== from);
}

function Sign({ round }: { round: CheckRound }) {
  const queries = useQueryClient();
  if (!round.is_mine || !round.ready) return null;
  return (
    <SignMany
      count={round.ready}
      send={(proof) => unwrap(client.POST("/api/v1/checks/{round_id}/sign/", { params: { path: { round_id: round.id } }, body: { ...proof, note: "" } }))}
      onSigned={(next) => {
        queries.setQueryData(["check", round.id], next);
        for (const key of ["today", "records", "check-rounds", "checks-due", "run"]) void queries.invalidateQueries({ queryKey: [key] });
      }}
    />
  );
}

/** One more bottle for those that are still to do, where the first does not suit or runs out. */
function AddGas({ round }: { round: CheckRound }) {
  const queries = useQueryClient();
  const kit = useGas();
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState<Gas[]>([]);
  const add = useMutation({
    mutationFn: async () => {
      for (const gas of chosen) await unwrap(client.POST("/api/v1/checks/{round_id}/gas/", { params: { path: { round_id: round.id } }, body: gas }));
    },
    onSuccess: () => {
      setOpen(false);
      setChosen([]);
      void queries.invalidateQueries({ queryKey: ["check", round.id] });
    },
  });
  if (!round.is_mine || round.closed_at) return null;
  return (
    <>
      <Button kind="quiet" onClick={() => setOpen(true)}>
        Add gas
      </Button>
      <Modal open={open} onClose={() => setOpen(false)} title="Gas for those still to do">
        {kit.data && <GasChoice kit={kit.data} chosen={chosen} onChange={setChosen} />}
        {add.isError && <Failure error={add.error} />}
        <Button kind="primary" onClick={() => add.mutate()} disabled={add.isPending || !chosen.length || !isWhole(chosen)}>
          Add to the round
        </Button>
      </Modal>
    </>
  );
}

function GasLine({ round }: { round: CheckRound }) {
  return (
    <ul aria-label="Gas of the round" className="space-y-1">
      {round.gases.map((g) => (
        <li key={g.bottle} className="flex flex-wrap gap-x-3 text-sm">
          <strong>{g.bottle}</strong>
          <span>{g.holds}</span>
          {g.litres_left !== null && (
            <span>
              {g.litres_left} l left, {g.checks ? `${g.litres_wanted} l for ${g.checks} still to do` : "no more needed"}
            </span>
          )}
          {g.is_short && <strong className="text-iron">not enough for all: bring another</strong>}
          {g.others.map((o) => (
            <strong key={o} className="text-amber">
              also used by {o}
            </strong>
          ))}
        </li>
      ))}
    </ul>
  );
}

/** By its plate to a detector of the round. What is next waits for its plate, so the field has the focus then. */
function Scan({ jobs, onFound, waitsFor }: { jobs: CheckJob[]; onFound: (job: CheckJob) => void; waitsFor: string }) {
  const [scanned, setScanned] = useState("");
  const [unknown, setUnknown] = useState("");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (waitsFor) field.current?.focus();
  }, [waitsFor]);
  const look = () => {
    const found = jobs.find((j) => j.tag.toLowerCase() === scanned.trim().toLowerCase());
    setUnknown(found ? "" : `${scanned.trim()} is not in this round. Look at the plate again.`);
    if (found) onFound(found);
    setScanned("");
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (scanned.trim()) look();
      }}
    >
      <TextField label="Scan or type a tag" value={scanned} onChange={setScanned} error={unknown} inputRef={field} />
    </form>
  );
}

/** A round of function checks: one detector at hand, the next already looked up. */
export function CheckRoundPage() {
  const { id = "" } = useParams();
  const round = useCheckRound(id);
  const [picked, setPicked] = useState({ tag: "", state: "", times: 0 });
  if (round.isPending) return <Loading what="the round" />;
  if (round.isError) return <Failure error={round.error} retry={() => void round.refetch()} />;
  const r = round.data;
  const keep = (j: CheckJob) => setPicked({ tag: j.tag, state: j.state, times: picked.times });
  const pick = (j: CheckJob) => setPicked({ tag: j.tag, state: j.state, times: picked.times + 1 });
  // What was picked stays at hand until it is done or set aside; then what is next takes its place.
  const mine = r.jobs.find((j) => j.tag === picked.tag);
  const stays = mine && (mine.state === picked.state || ["to do", "at work"].includes(mine.state));
  const job = stays ? mine : nextOf(r.jobs, picked.tag);
  const after = job && nextOf(r.jobs, job.tag);
  const done = r.jobs.filter((j) => DONE.includes(j.state)).length;
  return (
    <div className="mx-auto grid max-w-7xl gap-6 p-4 lg:grid-cols-[320px_minmax(0,1fr)] lg:p-6">
      <div className="space-y-3">
        <h1 className="text-2xl font-bold">
          {r.is_mine ? "Function checks" : `Checks of ${r.by}`}{" "}
          <span className="font-normal text-muted">
            {done} of {r.jobs.length}
          </span>
        </h1>
        <Scan jobs={r.jobs} onFound={pick} waitsFor={job?.state === "to do" && !stays ? job.tag : ""} />
        <ul className="max-h-[48vh] overflow-y-auto border-t-2 border-slate" aria-label="Detectors">
          {r.jobs.map((j) => (
            <li key={j.tag}>
              <button
                type="button"
                onClick={() => pick(j)}
                aria-current={j === job}
                className={`grid min-h-12 w-full grid-cols-[24px_1fr_auto] items-center gap-x-2 border-b border-l-8 border-b-rule px-2 text-left ${j === job ? "border-l-water bg-water-soft" : "border-l-transparent hover:bg-water-soft"}`}
              >
                <Ring closed={DONE.includes(j.state) ? 1 : j.run ? 0.5 : 0} state={DONE.includes(j.state) ? "done" : j.run ? "open" : "idle"} />
                <span className="min-w-0">
                  <span className="font-bold">{j.tag}</span> <span className="text-sm text-muted">{j.area}</span>
                </span>
                <span className="text-sm">
                  {j.is_on_hold && <strong className="text-amber">on hold </strong>}
                  {j.verdict ? <Verdict verdict={j.verdict} size={13} /> : WORDS[j.state]}
                </span>
              </button>
            </li>
          ))}
        </ul>
        <Sign round={r} />
        <GasLine round={r} />
        <AddGas round={r} />
      </div>
      <div className="min-w-0">
        {job ? (
          <>
            <CheckCard key={`${job.tag} ${picked.times}`} round={r} job={job} onBegun={() => keep(job)} isPicked={Boolean(stays)} />
            {after && (
              <p className="mt-8 border-t border-rule pt-3 text-muted">
                Then {after.tag}, {after.service}, {after.area}
              </p>
            )}
          </>
        ) : r.closed_at ? (
          <Message title="This round is over">
            Every detector has its record. <LinkButton to="/checks">Other checks</LinkButton>
          </Message>
        ) : (
          <Message>{r.ready ? "Nothing is left to do. Sign what is ready." : "Nothing is left to do here; pick one that was set aside, or sign."}</Message>
        )}
      </div>
    </div>
  );
}
