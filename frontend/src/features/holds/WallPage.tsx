import { useHolds } from "../../api/queries";
import { usePlant } from "../../app/session";
import { clock, when } from "../../ui/format";
import { useNow } from "../../ui/useNow";
import { Due } from "./Due";

/** The holds board for a screen on the wall: read from across the room, nothing to press. */
export function WallPage() {
  const holds = useHolds();
  const plant = usePlant();
  const now = useNow(5_000);
  const rows = holds.data ?? [];
  return (
    <main className="flex min-h-screen flex-col bg-page p-6">
      <div className="mb-4 flex items-baseline justify-between border-b-4 border-slate pb-2">
        <h1 className="text-4xl font-bold">{plant}: on hold</h1>
        <p className="text-4xl font-bold">{clock(new Date(now).toISOString())}</p>
      </div>
      {holds.isError && <p className="text-3xl font-bold text-iron">No connection: this board is not up to date.</p>}
      {holds.data && !rows.length && <p className="text-4xl font-bold text-kelp">Nothing is on hold.</p>}
      <ul className="space-y-3">
        {rows.map((h) => (
          <li key={h.id} className={`grid grid-cols-[minmax(0,1.1fr)_minmax(0,2fr)_minmax(0,1.1fr)] items-center gap-6 border-l-[16px] px-5 py-3 ${now > Date.parse(h.until) ? "border-iron bg-iron-soft" : "border-amber bg-amber-soft"}`}>
            <div>
              <p className="text-4xl font-bold">{h.tag}</p>
              <p className="text-xl">{h.area}</p>
            </div>
            <div>
              <p className="text-2xl font-bold">
                {h.kind}, {h.holder_name}
              </p>
              <p className="text-xl">{h.reason}</p>
              <p className="text-xl">{h.risk}</p>
              {h.still.length > 0 && <p className="text-xl font-bold text-iron">{h.still.join(" ")}</p>}
              {h.extended.length > 0 && <p className="text-xl">Longer: {h.extended.at(-1)}</p>}
            </div>
            <div className="text-right text-2xl">
              <p>until {when(h.until)}</p>
              <Due hold={h} now={now} />
            </div>
          </li>
        ))}
      </ul>
    </main>
  );
}
