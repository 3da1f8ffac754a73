import type { ReactNode } from "react";

/** What becomes of a row of a file: its word, and the colour of its edge beside it. */
export const FATES: Record<string, [word: string, edge: string]> = {
  new: ["New", "border-l-water"], changed: ["Changed", "border-l-amber"], same: ["As it is", "border-l-rule"], refused: ["Refused", "border-l-iron"],
  written: ["Written", "border-l-kelp"], undone: ["Taken back", "border-l-rule"], kept: ["Left as it was", "border-l-amber"],
};

interface Props {
  number: number;
  fate: string;
  name: string;
  can: boolean;
  chosen: boolean;
  onChoose: (on: boolean) => void;
  children: ReactNode;
}

/** A row of a file in its preview, with its fate; chosen to be written where it can be. */
export function FateLine({ number, fate, name, can, chosen, onChoose, children }: Props) {
  const [word, edge] = FATES[fate] ?? [fate, ""];
  return (
    <li className={`grid gap-x-4 border-b border-rule border-l-8 px-3 py-1.5 sm:grid-cols-[8.5rem_12rem_1fr] ${edge}`}>
      <label className="flex min-h-12 items-center gap-3">
        {can && <input type="checkbox" checked={chosen} onChange={(e) => onChoose(e.target.checked)} className="size-6 accent-water" aria-label={`Write row ${number}`} />}
        <span>
          Row {number} <span className="block text-sm font-bold">{word}</span>
        </span>
      </label>
      <span className="self-center font-bold break-all">{name}</span>
      <div className="space-y-1 self-center">{children}</div>
    </li>
  );
}
