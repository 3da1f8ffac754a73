import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { ApiFailure, type Run, type Step } from "../../api/client";
import { useDraft } from "../../ui/useDraft";
import { newId, useAppend, type Carried, type NewEvent } from "./useRun";

/** Readings that go to the server together, however many wait. */
const AT_ONCE = 40;

type Values = Record<string, string>;
type Next = NonNullable<NonNullable<Step["readings"]>["next"]>;
export type Point = Next["coming"][number];

/**
 * A reading as it was entered: for which slot, and under which id it is stored once, however often it is sent. shown: what stood on the page for that very
 * point, such as what is applied.
 */
export interface Entry {
  id: string;
  slot: number;
  values: Values;
  shown: Values;
  confirmed: boolean;
}

function parse(text: string): Entry[] {
  try {
    return text ? (JSON.parse(text) as Entry[]) : [];
  } catch {
    return [];
  }
}

function eventOf(step: string, e: Entry): NewEvent & { id: string } {
  const payload: Carried<"reading_taken"> = { step, slot: e.slot, ...e.shown, ...e.values, ...(e.confirmed ? { confirmed_unlikely: true } : {}) };
  return { id: e.id, type: "reading_taken", payload };
}

/** What was in the field when the last number of a set was stored and the page went on: for whatever comes in the same moment, and gone after it. */
let under: { run: string; values: Values; leave: () => void } | null = null;

/**
 * Typing goes on through the end of a set: the page may go on to the next one in the middle of a number, which must not be torn in two. What stands in the field
 * then goes along into the next one where that asks for one number too, and nowhere else.
 */
export function useTypedThrough({ run, isOwn, asksOne, typed, set, clear }: Through) {
  const now = useRef({ isOwn, typed, clear });
  useLayoutEffect(() => {
    now.current = { isOwn, typed, clear };
  });
  useLayoutEffect(() => {
    if (under?.run === run && asksOne) {
      under.leave();
      Object.entries(under.values).forEach(([name, value]) => set(name, value));
    }
    under = null;
    return () => {
      if (!now.current.isOwn) return;
      under = { run, values: now.current.typed, leave: now.current.clear };
      window.setTimeout(() => (under = null));
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, as it comes and as it goes
  }, []);
}

interface Through {
  run: string;
  /** The set goes on because one's own numbers are stored: they were entered and wait. */
  isOwn: boolean;
  asksOne: boolean;
  typed: Values;
  set: (name: string, value: string) => void;
  clear: () => void;
}

/** The point that is asked for once so many are stored; the last one that is known where they are more. */
export function pointAfter(next: Next, waiting: number): Point {
  return next.coming[Math.min(waiting, next.coming.length) - 1] ?? next;
}

/** How many readings of a run were entered and are not stored yet. */
export function useNotStored(id: string): number {
  return useQuery<number>({ queryKey: ["not-stored", id], queryFn: () => 0, enabled: false, initialData: 0, staleTime: Infinity }).data;
}

/** Entries in their order from the point that is next now: the run may have moved on, or one was taken out. What stood beside another point goes. */
function moveTo(next: number) {
  return (e: Entry, n: number): Entry => ({ ...e, slot: next + n, shown: e.slot === next + n ? e.shown : {} });
}

interface Given {
  run: Run;
  step: string;
  /** The slot that the run asks for now. */
  next: number;
  /** Whether something is in the fields, which then are not written into. */
  isTyping: boolean;
  /** What was refused goes back to where it was typed. */
  restore: (values: Values) => void;
  onStored: () => void;
}

/**
 * Readings as they are entered, one after the other, without waiting for the server: each belongs whole to the slot that follows the one before it. They are kept
 * on the device until they are stored. A refused one stops those behind it until it is settled; it goes back into its field only while nothing else is typed there.
 */
export function useEntries({ run, step, next, isTyping, restore, onStored }: Given) {
  const append = useAppend(run);
  const queries = useQueryClient();
  const [text, setText] = useDraft(`${run.id}/${step}/entered`);
  // What the run has under its id was stored by an earlier sending, of which the answer did not come; anything else is kept, whatever point is next.
  const known = new Set(text ? run.view.evidence.flatMap((set) => set.rows.map((r) => r.id)) : []);
  const waiting = parse(text).filter((e) => !known.has(e.id));
  const held = useRef<Entry[]>(waiting);
  const typing = useRef(isTyping);
  useLayoutEffect(() => {
    held.current = waiting;
    typing.current = isTyping;
  });
  const keep = (entries: Entry[]) => {
    held.current = entries;
    setText(entries.length ? JSON.stringify(entries) : "");
  };
  const [stopped, stop] = useState(false);
  const sending = useRef(false);
  const last = useRef<Entry | null>(null);
  /** Where the run is by the answer to one's own sending, which may come before the page shows it. */
  const told = useRef({ seq: 0, slot: 0 });

  const send = () => {
    const batch = held.current.slice(0, AT_ONCE);
    if (!batch.length || sending.current) return;
    sending.current = true; // one after the other: of two at once only the later would be heard of
    const ids = new Set(batch.map((e) => e.id));
    append.mutate(batch.map((e) => eventOf(step, e)), {
      onSuccess: (now) => {
        told.current = { seq: now.view.seq, slot: now.view.step?.readings?.next?.slot ?? 0 };
        keep(held.current.filter((e) => !ids.has(e.id)));
        onStored();
      },
      onError: (error) => {
        const stored = error instanceof ApiFailure && typeof error.details.stored === "number" ? error.details.stored : 0;
        const gone = new Set(batch.slice(0, stored).map((e) => e.id));
        const left = held.current.filter((e) => !gone.has(e.id));
        const [first] = left;
        if (first && left.length === 1 && !typing.current) {
          last.current = first;
          keep([]);
          restore(first.values);
        } else {
          keep(left);
          stop(true);
        }
      },
      onSettled: () => {
        sending.current = false;
      },
    });
  };

  useEffect(() => {
    if (!append.isPending && !append.isError && !stopped && waiting.length) send();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only what waits, and whether something is on its way, start the next sending
  }, [append.isPending, append.isError, stopped, text, next]);

  useEffect(() => {
    queries.setQueryData<number>(["not-stored", run.id], waiting.length);
  }, [queries, run.id, waiting.length]);

  // The answer to the last number of a set takes the page on to the next step before anything more of it is heard here: what it stored waits no longer.
  useEffect(
    () => () => {
      const now = queries.getQueryData<Run>(["run", run.id]);
      const stored = new Set(now?.view.evidence.flatMap((set) => set.rows.map((r) => r.id)));
      const left = held.current.filter((e) => !stored.has(e.id));
      setText(left.length ? JSON.stringify(left) : "");
      queries.setQueryData<number>(["not-stored", run.id], left.length);
    },
    [queries, run.id, setText],
  );

  const failure = append.error instanceof ApiFailure ? append.error : null;
  /** The one that was refused while others wait or something is typed. */
  const refused = stopped ? (waiting[0] ?? null) : null;

  return {
    failure,
    isPending: append.isPending,
    waiting,
    refused,
    reset: append.reset,
    /** shown: what stands on the page beside the field, and for which point; of any other the server knows it. */
    enter: (values: Values, shown: { slot: number; values: Values }, confirmed = false) => {
      if (append.isError && !stopped) append.reset(); // what was refused is in the field again, and is entered anew
      const upcoming = told.current.seq > run.view.seq ? told.current.slot : next;
      const slot = held.current.length ? (held.current.at(-1)?.slot ?? next) + 1 : upcoming;
      const again = last.current;
      const isSame = again !== null && again.slot === slot && again.confirmed === confirmed && JSON.stringify(again.values) === JSON.stringify(values);
      keep([...held.current, isSame ? again : { id: newId(), slot, values, shown: slot === shown.slot ? shown.values : {}, confirmed }]); // the same in everything, or another
    },
    /** The refused one as it is now meant, and on with those behind it. */
    settle: (changed: Values, confirmed = false) => {
      const [first, ...others] = held.current;
      if (first) keep([{ ...first, values: { ...first.values, ...changed }, confirmed }, ...others].map(moveTo(next)));
      append.reset();
      stop(false);
    },
    /** It was not meant: those behind it move up to its place. */
    drop: () => {
      keep(held.current.slice(1).map(moveTo(next)));
      append.reset();
      stop(false);
    },
    /** Sent again as it was, after the connection was lost. */
    again: () => {
      append.reset();
      stop(false);
    },
  };
}
