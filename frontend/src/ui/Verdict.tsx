import { Check, TriangleAlert, X } from "lucide-react";

/** A verdict as word, shape and colour together. */
export function Verdict({ verdict, close = false, size = 16 }: { verdict: string | null; close?: boolean; size?: number }) {
  if (!verdict) return <span className="text-muted">–</span>;
  const look = {
    pass: { Icon: Check, tone: "text-kelp" },
    marginal: { Icon: TriangleAlert, tone: "text-amber" },
    fail: { Icon: X, tone: "text-iron" },
  }[verdict] ?? { Icon: TriangleAlert, tone: "text-muted" };
  return (
    <span className={`inline-flex items-baseline gap-1 font-bold whitespace-nowrap ${look.tone}`}>
      <look.Icon size={size} strokeWidth={3} aria-hidden="true" className="translate-y-[0.12em]" />
      <span>
        {verdict}
        {close && <span className="font-normal text-amber">, marginal</span>}
      </span>
    </span>
  );
}
