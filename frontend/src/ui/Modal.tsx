import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import { useEffect, useState, type ReactNode } from "react";

/**
 * A window over the page, which takes no focus while it stands. One that is there open from the start is opened in the next moment: a dialog that is born open
 * does not know the page behind it yet and leaves it awake, so that a reading that was just stored took the keyboard from whoever wrote in the window.
 */
export function Modal({ open, onClose, title, children }: { open: boolean; onClose: () => void; title: string; children: ReactNode }) {
  const [isThere, setThere] = useState(false);
  // eslint-disable-next-line react-hooks/set-state-in-effect -- to be closed once is the very point
  useEffect(() => setThere(true), []);
  return (
    <Dialog open={open && isThere} onClose={onClose} className="relative z-40">
      <DialogBackdrop className="fixed inset-0 bg-black/50" />
      <div className="fixed inset-0 flex items-center justify-center overflow-y-auto p-4">
        <DialogPanel className="w-full max-w-lg space-y-4 rounded-lg border border-rule-strong bg-page p-6">
          <DialogTitle className="text-xl font-bold">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
