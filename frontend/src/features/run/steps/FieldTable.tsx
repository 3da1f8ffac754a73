import { Fragment } from "react";
import type { Asked } from "../../../api/client";
import { TextField } from "../../../ui/fields";
import { held } from "./held";
import type { ToldNow } from "./useIndicator";

/** Headings of what is known of each number, and what the instrument tells of it now. */
export interface Beside {
  heads: string[];
  now?: ToldNow;
}

interface Props extends Beside {
  fields: Asked["fields"];
  values: Record<string, string>;
  set: (name: string, value: string) => void;
  errors: Record<string, string>;
  takesFocus: boolean;
}

const CELL = "px-2 py-1 align-middle";

/** Numbers asked for side by side with what is known of each: a line a number, what the instrument tells now beside the field where it goes. */
export function FieldTable({ heads, fields, values, set, errors, takesFocus, now }: Props) {
  const live = now?.told.length ? new Map(now.told.map((f) => [f.name, f])) : null;
  const span = heads.length + (live ? 3 : 2);
  return (
    <table className="w-full max-w-4xl border-t-2 border-slate">
      <thead>
        <tr className="text-left text-sm text-muted">
          <th scope="col" className={`${CELL} border-b border-rule font-normal`}>
            What
          </th>
          {heads.map((h) => (
            <th key={h} scope="col" className={`${CELL} border-b border-rule font-normal`}>
              {h}
            </th>
          ))}
          {live && (
            <th scope="col" className={`${CELL} border-b border-rule font-normal`}>
              It tells now
            </th>
          )}
          <th scope="col" className={`${CELL} border-b border-rule font-normal`}>
            For the record
          </th>
        </tr>
      </thead>
      <tbody>
        {fields.map((f, i) => {
          const told = live?.get(f.name);
          const says = errors[f.name] ?? told?.note;
          const line = says ? "" : "border-b border-rule";
          return (
            <Fragment key={f.name}>
              <tr>
                <th scope="row" className={`${CELL} ${line} text-left`}>
                  {f.label}
                  <span className="font-normal text-muted">, {f.unit}</span>
                </th>
                {heads.map((h, n) => (
                  <td key={h} className={`${CELL} ${line} tabular-nums`}>
                    {f.beside[n]}
                  </td>
                ))}
                {live && <td className={`${CELL} ${line} tabular-nums ${told?.note ? "font-bold text-iron" : ""}`}>{told?.value}</td>}
                <td className={`${CELL} ${line} w-52`}>
                  <div className="flex items-center gap-2">
                    <TextField label={f.label} error={errors[f.name]} value={held(f, values)} onChange={(v) => set(f.name, v)} numeric bare autoFocus={takesFocus && i === 0} />
                    {f.read && <span className="text-sm text-muted">{held(f, values) === f.read ? "read" : `not ${f.read}`}</span>}
                  </div>
                </td>
              </tr>
              {says && (
                <tr>
                  <td colSpan={span} className={`${CELL} border-b border-rule pt-0 font-bold text-iron`} aria-hidden={errors[f.name] ? true : undefined}>
                    {says}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
    </table>
  );
}
