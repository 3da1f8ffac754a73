import { Flag, TriangleAlert } from "lucide-react";
import type { RunView } from "../../api/client";
import { Remarks } from "../run/Remarks";

/** Gas in use, what is moved to the test, and what is flagged on the record. */
export function GasEvidence({ view }: { view: RunView }) {
  const out = view.pairs.filter((p) => p.to === "out");
  return (
    <>
      {view.flags.length > 0 && (
        <section aria-label="Flags" className="border-l-8 border-amber bg-amber-soft px-3 py-2">
          <h3 className="font-bold">Flagged on the record</h3>
          <ul className="text-sm">
            {view.flags.map((f) => (
              <li key={f} className="flex gap-2">
                <Flag size={16} aria-hidden="true" className="mt-0.5 shrink-0" /> {f}
              </li>
            ))}
          </ul>
        </section>
      )}
      {out.length > 0 && (
        <p className="flex gap-2 border-l-8 border-amber bg-amber-soft px-3 py-2 font-bold">
          <TriangleAlert size={18} aria-hidden="true" className="shrink-0 text-amber" /> In its test position: {out.map((p) => p.label.toLowerCase()).join(", ")}
        </p>
      )}
      {view.gases.length > 0 && (
        <section aria-label="Gas in use">
          <h3 className="font-bold">Gas</h3>
          <ul className="space-y-1">
            {view.gases.map((g) => (
              <li key={g.role}>
                <p>
                  {g.label}: <strong>{g.bottle}</strong>, {g.applied}
                  <span className="text-sm text-muted">
                    {" "}
                    {[g.regulator, g.line].filter(Boolean).join(", ")}
                    {g.reason && `. ${g.reason}`}
                  </span>
                </p>
                <Remarks remarks={g.remarks} all={false} />
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
