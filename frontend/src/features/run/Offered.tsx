import { useState, type ReactNode } from "react";
import { Button } from "../../ui/Button";

/** What is offered: the usable first and alone; what can't be used is folded away, with why, unless nothing else is left. */
export function Offered<T extends { code: string; standing: string }>({ offers, chosen, row }: { offers: readonly T[]; chosen: string; row: (offer: T) => ReactNode }) {
  const [showsAll, setShowsAll] = useState(false);
  const usable = offers.filter((o) => o.standing !== "refuse" || o.code === chosen);
  const shown = showsAll || !usable.length ? offers : usable;
  return (
    <>
      <ul className="border-t border-rule">{shown.map(row)}</ul>
      {shown.length < offers.length && <Button onClick={() => setShowsAll(true)}>Show {offers.length - shown.length} that can’t be used, and why</Button>}
    </>
  );
}
