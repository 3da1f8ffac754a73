import { useCallback, useState } from "react";

const PREFIX = "draft:";

function read(key: string): string {
  try {
    return localStorage.getItem(PREFIX + key) ?? "";
  } catch {
    return "";
  }
}

function write(key: string, value: string) {
  try {
    if (value) localStorage.setItem(PREFIX + key, value);
    else localStorage.removeItem(PREFIX + key);
  } catch {
    // Storage may be full or forbidden; the field itself still holds the text.
  }
}

/** Text that survives a reload: kept on the device until it is stored or cleared. */
export function useDraft(key: string): [string, (value: string) => void] {
  const [held, setHeld] = useState({ key, value: read(key) });
  const value = held.key === key ? held.value : read(key);
  if (held.key !== key) setHeld({ key, value });
  const set = useCallback(
    (next: string) => {
      write(key, next);
      setHeld({ key, value: next });
    },
    [key],
  );
  return [value, set];
}

function parse(text: string): Record<string, string> {
  try {
    return text ? (JSON.parse(text) as Record<string, string>) : {};
  } catch {
    return {};
  }
}

type DraftForm = [values: Record<string, string>, set: (name: string, value: string) => void, clear: () => void, drop: (names: string[]) => void];

/** Several texts of one form that survive a reload together. drop: some of them are as if they had not been typed. */
export function useDraftForm(key: string): DraftForm {
  const [text, setText] = useDraft(key);
  const set = (name: string, value: string) => setText(JSON.stringify({ ...parse(read(key) || text), [name]: value }));
  const drop = (names: string[]) => {
    const left = Object.entries(parse(read(key) || text)).filter(([name]) => !names.includes(name));
    setText(left.length ? JSON.stringify(Object.fromEntries(left)) : "");
  };
  return [parse(text), set, () => setText(""), drop];
}
