import { Check, TriangleAlert, X } from "lucide-react";
import type { Schemas } from "../../api/client";

/** How something of the kit stands for what it is wanted for: word, shape and colour together. */
export const STANDING: Record<string, { Icon: typeof Check; tone: string; word: string }> = {
  good: { Icon: Check, tone: "text-kelp", word: "fits" },
  warn: { Icon: TriangleAlert, tone: "text-amber", word: "fits, but mind" },
  refuse: { Icon: X, tone: "text-iron", word: "can't be used" },
};

export function Remarks({ remarks, all }: { remarks: Schemas["Remark"][]; all: boolean }) {
  const shown = all ? remarks : remarks.filter((r) => r.standing !== "good");
  return (
    <ul className="space-y-0.5 text-sm">
      {shown.map((r) => {
        const { Icon, tone, word } = STANDING[r.standing] ?? { Icon: TriangleAlert, tone: "text-amber", word: r.standing };
        return (
          <li key={r.rule + r.says} className="flex gap-2">
            <Icon size={16} aria-label={word} className={`mt-0.5 shrink-0 ${tone}`} />
            <span>{r.says}</span>
          </li>
        );
      })}
    </ul>
  );
}
