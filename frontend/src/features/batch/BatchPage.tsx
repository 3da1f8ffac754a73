import { useState } from "react";
import { Link } from "react-router";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { CheckLine } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { useBatches, useSensors } from "./batches";
import { NewBatch } from "./NewBatch";
import { OneByOne } from "./OneByOne";

const SOON = ["overdue", "in grace", "due today", "soon"];

function UnderWay() {
  const batches = useBatches();
  if (!batches.data?.length) return null;
  return (
    <section aria-label="Batches under way">
      <h2 className="border-b-2 border-water pb-1 text-lg font-bold">Under way</h2>
      {batches.data.map((b) => (
        <Link key={b.id} to={`/batch/${b.id}`} className="flex min-h-13 flex-wrap items-center gap-x-4 border-b border-rule px-3 hover:bg-water-soft">
          <strong>{b.is_mine ? "Your batch" : `Batch of ${b.by}`}</strong>
          <span>{b.tags.join(", ")}</span>
          <span className="text-muted">since {moment(b.made_at)}</span>
          <span className="ml-auto font-bold text-water">{b.is_mine ? "Go on" : "Look"}</span>
        </Link>
      ))}
    </section>
  );
}

/** Up to four temperature sensors over the blocks at a time: picked, placed, begun together; each in a run of its own. */
export function BatchPage() {
  const sensors = useSensors();
  const batches = useBatches();
  const mayStart = useMay("start a run");
  const [chosen, setChosen] = useState<string[]>([]);
  const [all, setAll] = useState(false);
  if (sensors.isPending) return <Loading what="the sensors" />;
  if (sensors.isError) return <Failure error={sensors.error} retry={() => void sensors.refetch()} />;
  const due = sensors.data.filter((s) => SOON.includes(s.standing));
  const isShort = due.length > 0 && !all;
  const rows = isShort ? sensors.data.filter((s) => SOON.includes(s.standing) || chosen.includes(s.tag)) : sensors.data;
  return (
    <div className="mx-auto max-w-6xl space-y-6 p-4 lg:p-6">
      <div>
        <h1 className="text-2xl font-bold">Sensors in blocks</h1>
        <p className="max-w-prose">
          Pick up to four temperature sensors. Wells and probes are proposed, what holds for all is said once, and the points are taken by themselves where
          they are read live. Each has a record of its own; one signature at the end.
        </p>
      </div>
      <UnderWay />
      {sensors.data.length === 0 ? (
        <Message>No temperature sensor is in the register.</Message>
      ) : (
        <section aria-label="Sensors">
          <div className="flex flex-wrap items-end gap-3 border-b-2 border-slate pb-2">
            <h2 className="mr-auto text-lg font-bold">
              {isShort ? "Due soon" : "Temperature sensors"} <span className="font-normal text-muted">{rows.length}</span>
            </h2>
            {due.length > 0 && due.length < sensors.data.length && <Button onClick={() => setAll(!all)}>{all ? "Only those due" : `Show all ${sensors.data.length}`}</Button>}
          </div>
          {rows.map((s) =>
            s.run || !mayStart ? (
              <p key={s.tag} className="flex min-h-13 flex-wrap items-center gap-x-3 border-b border-rule px-3">
                <strong>{s.tag}</strong> {s.service}, {s.area}
                {s.run && (
                  <Link to={`/run/${s.run}`} className="ml-auto inline-flex min-h-12 items-center font-bold text-water underline">
                    under way
                  </Link>
                )}
              </p>
            ) : (
              <CheckLine
                key={s.tag}
                label={`${s.tag}, ${s.service}, ${s.area}`}
                more={`${s.range}${s.due ? `, due on ${s.due}` : ""}${s.standing === "overdue" ? ", overdue" : ""}`}
                checked={chosen.includes(s.tag)}
                onChange={(on) => setChosen(on ? [...chosen, s.tag] : chosen.filter((t) => t !== s.tag))}
              />
            ),
          )}
        </section>
      )}
      {chosen.length > 0 && <NewBatch tags={chosen} />}
      <OneByOne inBatches={batches.data?.flatMap((b) => b.tags) ?? []} />
    </div>
  );
}
