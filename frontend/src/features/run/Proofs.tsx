import type { Run } from "../../api/client";
import { Verdict } from "../../ui/Verdict";

/** The proof tests of the safety functions that an instrument belongs to, as its run found and left them. */
export function Proofs({ run }: { run: Run }) {
  const proofs = run.view.proofs ?? []; // a view kept on the device from before there were any has none
  if (!proofs.length) return null;
  return (
    <section aria-label="Proof test" className="mt-4">
      <h3 className="border-b-2 border-slate font-bold">Proof test</h3>
      {proofs.map((p) => (
        <dl key={p.code} className="grid grid-cols-[9rem_1fr] gap-x-3 border-b border-rule py-2">
          <dt className="text-muted">{p.level}</dt>
          <dd className="font-bold">
            {p.code} {p.name}
          </dd>
          <dt className="text-muted">Proved</dt>
          <dd>
            {p.path}, required {p.required}
          </dd>
          <dt className="text-muted">As found</dt>
          <dd>
            <strong>{p.found}</strong> <Verdict verdict={p.found_verdict} size={16} /> <span className="text-sm">{p.found_says}</span>
          </dd>
          {p.left && (
            <>
              <dt className="text-muted">As left</dt>
              <dd>
                <strong>{p.left}</strong> <Verdict verdict={p.left_verdict} size={16} /> <span className="text-sm">{p.left_says}</span>
              </dd>
              <dt className="text-muted">In bypass</dt>
              <dd>{p.bypass}</dd>
            </>
          )}
        </dl>
      ))}
    </section>
  );
}
