import { useEffect, useState } from "react";
import { useDraft } from "./useDraft";

/**
 * A form that is kept on the device from the first change until it is stored: after a reload, or another page, it goes on where it was. start: as it is
 * stored now. seen: how it was stored when it was first changed. drop: what was typed is given up. Closing the window asks.
 */
export function useKept<T extends object>(key: string, start: T) {
  const [text, setText] = useDraft(key);
  const [held, setHeld] = useState(() => load(key, text, start));
  if (held.key !== key) setHeld(load(key, text, start)); // the page went on to another's form
  const isChanged = JSON.stringify(held.form) !== JSON.stringify(held.seen);
  useEffect(() => {
    if (!isChanged) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [isChanged]);
  const put = (next: Stood<T>) => {
    setHeld({ ...held, ...next });
    setText(JSON.stringify(next.form) === JSON.stringify(next.seen) ? "" : JSON.stringify(next));
  };
  return {
    form: held.form,
    seen: held.seen,
    /** What was typed on an earlier visit stands in the form. */
    isKept: held.wasKept && isChanged,
    set: (change: (form: T) => T) => put({ form: change(held.form), seen: held.seen }),
    setSeen: (change: (seen: T) => T) => put({ form: held.form, seen: change(held.seen) }),
    stored: () => setText(""),
    drop: () => put({ form: start, seen: start }),
  };
}

interface Stood<T> {
  form: T;
  seen: T;
}

function load<T>(key: string, text: string, start: T): Stood<T> & { key: string; wasKept: boolean } {
  const kept = parse<Stood<T>>(text);
  return { key, wasKept: kept !== null, ...(kept ?? { form: start, seen: start }) };
}

function parse<T>(text: string): T | null {
  try {
    return text ? (JSON.parse(text) as T) : null;
  } catch {
    return null;
  }
}
