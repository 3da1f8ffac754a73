import { Lock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { hm, type RoundJob, type WorkRound } from "./plans";

const LUNCH_MIN = 30;
const READABLE_MIN = 15; // in a shorter block its tag stands upright
const LOOK: Record<string, string> = {
  done: "border-kelp bg-kelp-soft",
  "under way": "border-water bg-water-soft",
  "to do": "border-slate bg-page",
};

interface Props {
  round: WorkRound;
  chosen: string;
  onChoose: (tag: string) => void;
}

/** Everybody's day from left to right: what takes attention as a block, a wait as a line, lunch, and now. The table below says the same. */
export function Timeline({ round, chosen, onChoose }: Props) {
  const from = Math.floor(Math.min(...round.crew.map((c) => c.start)) / 60) * 60;
  const until = Math.ceil(Math.max(...round.crew.map((c) => c.end)) / 60) * 60;
  const at = (minute: number) => `${(100 * (minute - from)) / (until - from)}%`;
  const wide = (minutes: number) => `${(100 * minutes) / (until - from)}%`;
  const hours = Array.from({ length: (until - from) / 60 + 1 }, (_, n) => from + 60 * n);
  const mine = (username: string) => round.jobs.filter((j) => j.tasks.some((t) => t.people.includes(username)));
  const [pointed, point] = useState("");
  return (
    <section aria-label="Timeline" className="bg-page pt-1">
      <div className="relative ml-28 h-6 border-b border-rule text-sm text-muted" aria-hidden="true">
        {hours.map((h) => (
          <span key={h} className={`absolute ${h === until ? "-translate-x-full" : "-translate-x-1/2"}`} style={{ left: at(h) }}>
            {hm(h)}
          </span>
        ))}
      </div>
      {round.crew.map((person) => (
        <div key={person.username} className="flex border-b border-rule">
          <div className="w-28 shrink-0 self-center pr-2 text-sm leading-tight font-bold">{person.name}</div>
          <div className="relative h-20 flex-1">
            {hours.map((h) => (
              <div key={h} className="absolute top-0 h-full border-l border-rule" style={{ left: at(h) }} />
            ))}
            <div className="absolute top-0 h-full bg-slate/10" style={{ left: 0, width: wide(person.start - from) }} />
            <div className="absolute top-0 right-0 h-full bg-slate/10" style={{ width: wide(until - person.end) }} />
            {person.lunch !== null && (
              <div className="absolute top-3 flex h-14 items-center justify-center rounded bg-slate/10 text-xs text-muted" style={{ left: at(person.lunch), width: wide(LUNCH_MIN) }}>
                lunch
              </div>
            )}
            {round.result.walks
              .filter((w) => w.person === person.username)
              .map((w) => (
                <div key={w.start} title={w.says} className="absolute top-[2.4rem] h-1.5 rounded-full bg-water" style={{ left: at(w.start), width: wide(w.end - w.start) }} />
              ))}
            {mine(person.username).map((job) => (
              <Bars key={job.tag} job={job} username={person.username} at={at} wide={wide} chosen={chosen === job.tag} onChoose={() => onChoose(job.tag)} onPoint={point} />
            ))}
            {round.status === "under way" && round.now > from && round.now < until && <div className="absolute top-0 h-full border-l-2 border-iron" style={{ left: at(round.now) }} />}
          </div>
        </div>
      ))}
      <p className="py-1 text-sm text-muted" aria-hidden="true">
        {pointed || `Block: takes somebody. Dashed line: warms up or soaks by itself. Short bar between: on the way. Bar beneath: on hold. ${round.status === "under way" ? "Red line: now." : ""}`}
      </p>
    </section>
  );
}

/** A tag that may break behind its hyphen, so that it is whole in a narrow block. */
function Tag({ tag }: { tag: string }) {
  const [head, ...rest] = tag.split("-");
  return (
    <span className="min-w-0 overflow-hidden">
      {head}
      {rest.length > 0 && (
        <>
          -<wbr />
          {rest.join("-")}
        </>
      )}
    </span>
  );
}

interface BarProps {
  job: RoundJob;
  username: string;
  at: (minute: number) => string;
  wide: (minutes: number) => string;
  chosen: boolean;
  onChoose: () => void;
  onPoint: (says: string) => void;
}

function Bars({ job, username, at, wide, chosen, onChoose, onPoint }: BarProps) {
  const tasks = job.tasks.filter((t) => t.people.includes(username));
  const first = tasks[0];
  const last = tasks.at(-1);
  if (!first || !last) return null;
  const hold = tasks.find((t) => t.holds);
  const says = `${job.tag} ${job.service}, ${job.area}`;
  return (
    <>
      {tasks.length > 1 && <div className="absolute top-10 border-t-2 border-dashed border-muted" style={{ left: at(first.start), width: wide(last.end - first.start) }} />}
      {tasks.map((t, n) => (
        <button
          key={t.start}
          type="button"
          onClick={onChoose}
          onFocus={() => onPoint(`${says}, ${hm(t.start)} to ${hm(t.end)}, ${job.state}`)}
          onMouseEnter={() => onPoint(`${says}, ${hm(t.start)} to ${hm(t.end)}, ${job.state}`)}
          aria-pressed={chosen}
          aria-label={`${job.tag}, ${hm(t.start)} to ${hm(t.end)}, ${job.state}${job.is_locked ? ", locked" : ""}`}
          className={`absolute top-3 flex h-14 min-w-3.5 items-center gap-0.5 overflow-hidden rounded border-2 px-0.5 text-left text-xs leading-tight font-bold ${LOOK[job.state] ?? LOOK["to do"]} ${chosen ? "z-10 ring-3 ring-water" : t.end - t.start < READABLE_MIN ? "z-[2]" : "z-[1]"}`}
          style={{ left: at(t.start), width: wide(t.end - t.start) }}
        >
          {job.is_locked && n === 0 && <Lock size={12} aria-hidden="true" className="shrink-0" />}
          {job.late_min > 5 && n === tasks.length - 1 && <TriangleAlert size={12} aria-hidden="true" className="shrink-0 text-iron" />}
          {t.end - t.start >= READABLE_MIN ? <Tag tag={job.tag} /> : <span className="mx-auto text-[10px] leading-none [writing-mode:vertical-rl]">{job.tag}</span>}
        </button>
      ))}
      {hold && <div className="absolute top-[4.4rem] h-1 rounded bg-amber" style={{ left: at(hold.start), width: wide(last.end - hold.start) }} />}
    </>
  );
}
