import { useEffect, useState } from "react";
import { useDraft } from "./useDraft";

/**
 * A form that is kept on the device from the first change until it is stored: after a reload, or another page, it goes on where it was. start: as it is
 * stored now. seen: how it was stored when it was first changed. drop: what was typed is given up. Closing the window asks.
 */
export function useKept<T extends object>(key: string, start: T) {
  const [text, setText] = useDraft(key);
  const [kept] = useState(() => parse<{ form: T; seen: T }>(text));
  const [held, setHeld] = useState(kept ?? { form: start, seen: start });
  const isChanged = JSON.stringify(held.form) !== JSON.stringify(held.seen);
  useEffect(() => {
    if (!isChanged) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [isChanged]);
  const put = (next: { form: T; seen: T }) => {
    setHeld(next);
    setText(JSON.stringify(next.form) === JSON.stringify(next.seen) ? "" : JSON.stringify(next));
  };
  return {
    form: held.form,
    seen: held.seen,
    /** What was typed on an earlier visit stands in the form. */
    isKept: kept !== null && isChanged,
    set: (change: (form: T) => T) => put({ ...held, form: change(held.form) }),
    setSeen: (change: (seen: T) => T) => put({ ...held, seen: change(held.seen) }),
    stored: () => setText(""),
    drop: () => put({ form: start, seen: start }),
  };
}

function parse<T>(text: string): T | null {
  try {
    return text ? (JSON.parse(text) as T) : null;
  } catch {
    return null;
  }
}
