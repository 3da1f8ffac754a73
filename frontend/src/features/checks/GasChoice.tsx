import type { Schemas } from "../../api/client";
import { CheckLine, ChoiceField } from "../../ui/fields";

export type Gas = Schemas["CheckGasRequest"];
type Kit = Schemas["GasKit"];
export const AMBIENT = "AMBIENT";
const OPEN = "?"; // not chosen yet: which fitting is really on the bottle is seen by who stands before it

/** Whether regulator and line of every gas have been said. */
export function isWhole(gases: Gas[]): boolean {
  return gases.every((g) => g.regulator !== OPEN && g.line !== OPEN);
}

/** The bottles that can be used, each with its regulator and line; the others are folded away with what is wrong. */
export function GasChoice({ kit, chosen, onChange }: { kit: Kit; chosen: Gas[]; onChange: (next: Gas[]) => void }) {
  const usable = kit.bottles.filter((b) => b.is_usable);
  const others = kit.bottles.filter((b) => !b.is_usable);
  const inService = (kind: string) => kit.fittings.filter((f) => f.kind === kind && f.state === "in service");
  /** The one that stays on the bottle, or the only one there is. */
  const known = (kind: string, code: string) => {
    const all = inService(kind);
    return all.find((f) => f.stays_on === code)?.code ?? (all.length === 1 ? all[0]?.code : undefined) ?? OPEN;
  };
  const options = (kind: string) => [
    { value: "", label: "none" },
    ...inService(kind).map((f) => ({ value: f.code, label: f.words })),
  ];
  const toggle = (code: string, on: boolean) =>
    onChange(on ? [...chosen, { bottle: code, regulator: code === AMBIENT ? "" : known("regulator", code), line: code === AMBIENT ? "" : known("line", code) }] : chosen.filter((g) => g.bottle !== code));
  const change = (code: string, part: Partial<Gas>) => onChange(chosen.map((g) => (g.bottle === code ? { ...g, ...part } : g)));
  const row = (code: string, label: string) => {
    const mine = chosen.find((g) => g.bottle === code);
    return (
      <div key={code}>
        <CheckLine label={label} checked={Boolean(mine)} onChange={(on) => toggle(code, on)} />
        {mine && code !== AMBIENT && (
          <div className="grid gap-3 border-b border-rule bg-water-soft p-3 sm:grid-cols-2">
            <ChoiceField label={`Regulator on ${code}`} value={mine.regulator} options={options("regulator")} onChange={(regulator) => change(code, { regulator })} />
            <ChoiceField label={`Line of ${code}`} value={mine.line} options={options("line")} onChange={(line) => change(code, { line })} />
          </div>
        )}
      </div>
    );
  };
  return (
    <section aria-label="Gas">
      <h2 className="border-b-2 border-slate pb-1 text-lg font-bold">Gas for all of them</h2>
      {usable.map((b) => row(b.code, `${b.code}: ${b.holds}, ${b.litres_left} l left`))}
      {row(AMBIENT, "Ambient air, where a detector takes it")}
      {others.length > 0 && (
        <details className="py-2 text-sm">
          <summary className="flex min-h-12 cursor-pointer items-center font-bold text-water">{others.length} more can’t be used now</summary>
          {others.map((b) => (
            <p key={b.code}>
              {b.code}, {b.holds}: {b.standing}
            </p>
          ))}
        </details>
      )}
    </section>
  );
}
