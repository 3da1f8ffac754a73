import { Button } from "./Button";

/** Where one is in a long list, and the way on. */
export function Pager({ page, pages, total, what, onPage }: { page: number; pages: number; total: number; what: string; onPage: (page: number) => void }) {
  return (
    <div className="flex items-center gap-4 py-3">
      <span className="text-sm text-muted">
        {total} {what}
        {pages > 1 && `, page ${page} of ${pages}`}
      </span>
      {pages > 1 && (
        <>
          <Button onClick={() => onPage(page - 1)} disabled={page <= 1}>
            Back
          </Button>
          <Button onClick={() => onPage(page + 1)} disabled={page >= pages}>
            Next
          </Button>
        </>
      )}
    </div>
  );
}
