import type { ReactNode } from "react";
import { Ring } from "../../ui/Ring";

/** The page before anybody is signed in. */
export function Frame({ plant, children, wide }: { plant: string; children: ReactNode; wide?: boolean }) {
  return (
    <main className="grid min-h-screen place-items-center bg-salt p-6">
      <div className={`w-full ${wide ? "max-w-2xl" : "max-w-md"}`}>
        <div className="mb-6 flex items-center gap-3">
          <Ring closed={0.86} size={52} state="open" />
          <div>
            <h1 className="text-3xl font-bold">Verify Loop</h1>
            <p className="text-muted">{plant}</p>
          </div>
        </div>
        <div className="space-y-4 border-t-2 border-slate bg-page p-6">{children}</div>
        <p className="mt-4 text-sm text-muted">Site procedures, permits, local codes and licensed practice rule over this software.</p>
      </div>
    </main>
  );
}
