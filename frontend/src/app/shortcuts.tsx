import { useEffect, useRef, useSyncExternalStore } from "react";
import { Modal } from "../ui/Modal";

export interface Shortcut {
  /** A key, or "Ctrl+Enter". */
  keys: string;
  says: string;
  run: () => void;
  /** Also while typing in a field. */
  always?: boolean;
}

const active = new Set<{ current: Shortcut[] }>();
const listeners = new Set<() => void>();
let version = 0;

function changed() {
  version += 1;
  for (const tell of listeners) tell();
}

function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName));
}

function onKey(event: KeyboardEvent) {
  if (event.altKey || event.metaKey || document.querySelector("[role=dialog]")) return;
  const keys = event.ctrlKey ? `Ctrl+${event.key}` : event.key;
  for (const set of [...active].reverse()) {
    const found = set.current.find((s) => s.keys === keys && (s.always || event.ctrlKey || !isTyping(event.target)));
    if (found) {
      event.preventDefault();
      found.run();
      return;
    }
  }
}

/** Keys that work while the calling component is on the page. */
export function useShortcuts(shortcuts: Shortcut[]) {
  const held = useRef(shortcuts);
  useEffect(() => {
    held.current = shortcuts;
  });
  useEffect(() => {
    const entry = held;
    active.add(entry);
    if (active.size === 1) window.addEventListener("keydown", onKey);
    changed();
    return () => {
      active.delete(entry);
      if (active.size === 0) window.removeEventListener("keydown", onKey);
      changed();
    };
  }, []);
}

export function ShortcutSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => version,
  );
  const rows = open ? [...active].flatMap((s) => s.current) : [];
  return (
    <Modal open={open} onClose={onClose} title="Keys on this page">
      <dl className="grid grid-cols-[auto_1fr] gap-x-6 gap-y-2">
        {rows.map((s) => (
          <div key={s.keys + s.says} className="contents">
            <dt>
              <kbd className="rounded border-2 border-rule-strong px-2 py-0.5 font-bold">{s.keys}</kbd>
            </dt>
            <dd>{s.says}</dd>
          </div>
        ))}
        <dt>
          <kbd className="rounded border-2 border-rule-strong px-2 py-0.5 font-bold">Tab</kbd>
        </dt>
        <dd>next field or button; Enter uses it, Space ticks</dd>
      </dl>
      <button type="button" onClick={onClose} className="min-h-12 font-bold text-water underline">
        Close
      </button>
    </Modal>
  );
}
