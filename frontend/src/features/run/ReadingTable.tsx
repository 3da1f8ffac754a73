import { ArrowDown, ArrowUp } from "lucide-react";
import { Fragment, useState } from "react";
import type { ReadingSet, Row } from "../../api/client";
import { Verdict } from "../../ui/Verdict";
import { moment } from "../../ui/format";
import { Budget } from "./Budget";

function StruckRow({ r }: { r: Row }) {
  return (
    <tr className="border-b border-rule text-muted">
      <td className="py-1 line-through">{r.percent}</td>
      <td className="text-right line-through">{r.indicated}</td>
      <td colSpan={3} className="pl-3 text-sm">
        struck by {r.struck_by}: {r.struck}
      </td>
    </tr>
  );
}

/** Figures of a reading side by side; a record sealed before they were kept apart says them in words. */
function Figures({ of, label, else: words = "" }: { of: Row["halves"]; label: string; else?: string }) {
  const told = of.filter((f) => f.value);
  if (!told.length) return words ? <p>{words}</p> : null;
  return (
    <table className="my-1" aria-label={label}>
      <thead>
        <tr className="text-xs text-muted">
          {told.map((f) => (
            <th key={f.name} className="pr-4 text-right font-normal">
              {f.name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <tr>
          {told.map((f) => (
            <td key={f.name} className="pr-4 text-right font-bold">
              {f.value}
            </td>
          ))}
        </tr>
      </tbody>
    </table>
  );
}

/** The readings of a set; struck ones stay in their place, struck through. */
export function ReadingTable({ set, opens = true }: { set: ReadingSet; opens?: boolean }) {
  const [open, setOpen] = useState("");
  const onOpen = opens ? setOpen : undefined;
  const heads = new Map(set.columns.map((c) => [c.key, c.label]));
  const against = heads.get("ideal") ?? heads.get("applied");
  return (
    <table className="w-full text-[15px]">
      <thead>
        <tr className="border-b-2 border-slate text-sm">
          <th className="font-normal">{heads.get("percent")}</th>
          <th className="pl-2 text-right font-normal">{heads.get("indicated")}</th>
          {against && <th className="pl-2 text-right font-normal">{against}</th>}
          {heads.has("error") && <th className="pl-2 text-right font-normal">{heads.get("error")}</th>}
          <th className="pl-3 font-normal">Verdict</th>
          {opens && (
            <th className="pl-2 text-right font-normal">
              <span className="sr-only">Uncertainty</span>
            </th>
          )}
        </tr>
      </thead>
      <tbody>
        {set.rows.map((r) =>
          r.struck ? (
            <StruckRow key={r.id} r={r} />
          ) : (
            <Fragment key={r.id}>
            <tr className="border-b border-rule">
              <td className="py-0.5 whitespace-nowrap">
                {r.channel && <span className="block text-sm">{r.channel}</span>}
                {r.percent}{" "}
                {heads.has("direction") &&
                  (r.direction === "up" ? <ArrowUp size={13} className="inline" aria-label="up" /> : <ArrowDown size={13} className="inline" aria-label="down" />)}
              </td>
              <td className="pl-2 text-right font-bold">
                {r.indicated}
                {r.was_confirmed_unlikely && <abbr title="outside what is expected, confirmed">!</abbr>}
                {r.read_at && <span className="block text-xs font-normal">on paper {moment(r.read_at)}</span>}
              </td>
              {against && <td className="pl-2 text-right text-muted">{heads.has("ideal") ? r.ideal : r.applied}</td>}
              {heads.has("error") && (
                <td className="pl-2 text-right font-bold whitespace-nowrap">
                  {r.error}
                  {r.share && <span className="block text-xs font-normal text-muted">{r.share}</span>}
                </td>
              )}
              <td className="pl-3">
                <Verdict verdict={r.verdict} close={r.is_too_close} size={14} />
              </td>
              {onOpen && (
                <td className="text-right">
                  <button
                    type="button"
                    aria-expanded={open === r.id}
                    aria-label={`U of reading ${r.number}`}
                    onClick={() => onOpen(open === r.id ? "" : r.id)}
                    className="min-h-12 min-w-12 rounded-md px-1 whitespace-nowrap text-sm font-bold text-water underline hover:bg-water-soft"
                  >
                    {r.u ? `U ${r.u}` : "more"}
                  </button>
                </td>
              )}
            </tr>
            {open === r.id && (
              <tr className="border-b border-rule">
                <td colSpan={6} className="bg-salt px-2 py-1 text-sm">
                  {r.says} {r.simulated && `Input: ${r.simulated}.`} 
                  <Figures of={r.halves ?? []} label="Digital value" />
                  {r.read_at && (
                    <p>
                      Read on paper {moment(r.read_at)}, typed in {moment(r.at)} by {r.by}.
                    </p>
                  )}
                  {r.standards.length > 0 && <p>Against {r.standards.join(", ")}.</p>}
                  {r.captured.map((c) => (
                    <Figures key={c.quantity} of={c.figures ?? []} label={`Captured, ${c.quantity}`} else={c.says} />
                  ))}
                  <Budget budget={r.budget} />
                </td>
              </tr>
            )}
            </Fragment>
          ),
        )}
      </tbody>
    </table>
  );
}
