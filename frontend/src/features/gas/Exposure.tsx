import { Wind } from "lucide-react";
import { useShortcuts } from "../../app/shortcuts";
import { Button } from "../../ui/Button";
import { Message } from "../../ui/Message";
import type { Frame } from "../live/useLive";

const WORDS: Record<string, string> = {
  waiting: "Exposure is watched",
  ok: "Answers as it should",
  "no response": "No response",
  "out of acceptance": "Out of acceptance",
  unstable: "Unstable",
};

/** What an exposure came to so far, and the moment gas was put on. */
export function Exposure({
  exposure,
  anew = [],
  onGas,
}: {
  exposure: NonNullable<Frame["exposure"]> | null;
  anew?: NonNullable<Frame["interruptions"]>;
  onGas: () => void;
}) {
  useShortcuts([{ keys: "Ctrl+G", says: "gas is on now", run: onGas, always: true }]);
  const kind = exposure?.kind ?? "waiting";
  return (
    <section aria-label="Exposure" className="space-y-2">
      <div className="flex flex-wrap items-center gap-4">
        <Button onClick={onGas}>
          <Wind size={18} aria-hidden="true" /> Gas is on now
        </Button>
        <span className="text-lg font-bold">{WORDS[kind] ?? kind}</span>
        {exposure && (
          <span className="text-sm">
            {exposure.is_step && `${exposure.percent.toFixed(0)} % of what is to come, `}peak {exposure.peak.toPrecision(4)}
            {exposure.t90_s !== null && `, T90 ${exposure.t90_s.toFixed(0)} s`}
          </span>
        )}
      </div>
      {anew.map(({ t, says }) => (
        <Message key={t} tone="edge">
          {says}
        </Message>
      ))}
      {exposure?.remarks.map((says) => (
        <Message key={says} tone="edge">
          {says}
        </Message>
      ))}
    </section>
  );
}
