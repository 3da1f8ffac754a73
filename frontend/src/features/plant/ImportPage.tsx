import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { moment } from "../../ui/format";
import { FateLine, FATES } from "../../ui/FateLine";
import { CheckLine } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { Pager } from "../../ui/Pager";
import { OtherFiles } from "../intake/OtherFiles";

type Batch = Schemas["Import"];
type Row = Schemas["ImportRow"];

const MAX_MB = 20;
const BUSY = ["reading", "writing", "undoing"];
const WORDS: Record<string, string> = {
  reading: "is being read", ready: "is read; nothing is written yet", writing: "is being written", written: "is written", undoing: "is being taken back", undone: "was taken back", refused: "could not be read",
};
async function send(file: File): Promise<Batch> {
  if (file.size > MAX_MB * 2 ** 20)
    throw new ApiFailure(413, { code: "too_large", message: `${file.name} is ${Math.round(file.size / 2 ** 20)} MB; at most ${MAX_MB} MB are taken. Nothing was sent. Split it by area.` });
  const body = new FormData();
  body.append("file", file);
  return unwrap(client.POST("/api/v1/imports/", { body: body as unknown as { file: string }, bodySerializer: () => body }));
}

/** Choose a file; the imports of before are listed, each with its way back. */
export function ImportsPage() {
  const navigate = useNavigate();
  const mayEdit = useMay("edit the plant");
  const past = useQuery({ queryKey: ["imports"], queryFn: () => unwrap(client.GET("/api/v1/imports/")) });
  const upload = useMutation({ mutationFn: send, onSuccess: (b) => void navigate(`/plant/imports/${b.id}`) });
  return (
    <div className="mx-auto max-w-5xl space-y-5 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">Instruments from a file</h1>
      {mayEdit ? (
        <label
          className="flex min-h-40 cursor-pointer flex-col items-center justify-center gap-2 rounded-lg border-2 border-dashed border-rule-strong bg-page p-6 text-center focus-within:border-water hover:border-water"
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            const file = e.dataTransfer.files[0];
            if (file) upload.mutate(file);
          }}
        >
          <span className="text-lg font-bold">{upload.isPending ? "Sending…" : "Choose a CSV or XLSX file, or drop it here"}</span>
          <span className="max-w-xl text-muted">
            One instrument a row, the first row names the columns. Only Tag must be there; an export shows every column. A unit may stand in the header, like LRV [bar]. Nothing is written before you have seen each row’s fate.
          </span>
          <input
            type="file"
            accept=".csv,.xlsx,text/csv"
            className="sr-only"
            disabled={upload.isPending}
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) upload.mutate(file);
            }}
          />
        </label>
      ) : (
        <Message>Files are read in by a planner.</Message>
      )}
      {upload.isError && <Failure error={upload.error} />}
      <div className="flex gap-3">
        <a className="inline-flex min-h-12 items-center rounded-md border-2 border-rule-strong px-4 font-bold text-water" href="/api/v1/exports/instruments/?kind=xlsx">
          Export as XLSX
        </a>
        <a className="inline-flex min-h-12 items-center rounded-md border-2 border-rule-strong px-4 font-bold text-water" href="/api/v1/exports/instruments/?kind=csv">
          Export as CSV
        </a>
        <span className="ml-auto">
          <LinkButton to="/plant">Back to the plant</LinkButton>
        </span>
      </div>
      <OtherFiles />
      {!!past.data?.rows.length && (
        <section aria-label="Imports so far">
          <h2 className="mb-1 text-lg font-bold">So far</h2>
          <ul className="border-t-2 border-slate bg-page">
            {past.data.rows.map((b) => (
              <li key={b.id} className="flex flex-wrap items-center gap-x-5 border-b border-rule px-3 py-1">
                <LinkButton to={`/plant/imports/${b.id}`}>{b.name}</LinkButton>
                <span className="flex-1">
                  {moment(b.at)}, {b.by}: {WORDS[b.status] ?? b.status}
                </span>
                <span className="text-muted">{b.total} rows</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}

function Progress({ batch }: { batch: Batch }) {
  return (
    <div role="status" className="space-y-1">
      <p>
        {batch.done} of {batch.total} rows
      </p>
      <progress className="h-3 w-full" value={batch.done} max={Math.max(1, batch.total)} aria-label="Progress" />
    </div>
  );
}

function Cell({ batch, row, header }: { batch: Batch; row: Row; header: string }) {
  const queries = useQueryClient();
  const was = row.cells[header] ?? "";
  const [text, setText] = useState(was);
  const mend = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/imports/{batch_id}/rows/{number}/", { params: { path: { batch_id: batch.id, number: row.number } }, body: { cells: { [header]: text } } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["import", batch.id] }),
  });
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        mend.mutate();
      }}
    >
      <label className="flex items-center gap-2">
        <span className="font-bold">{header}</span>
        <input aria-label={`${header} in row ${row.number}`} value={text} onChange={(e) => setText(e.target.value)} className="min-h-12 w-48 rounded-md border-2 border-rule-strong bg-page px-3" />
      </label>
      <Button type="submit" disabled={mend.isPending || text === was}>
        Correct
      </Button>
      {mend.isError && <Failure error={mend.error} />}
    </form>
  );
}

function RowLine({ batch, row, chosen, onChoose }: { batch: Batch; row: Row; chosen: boolean; onChoose: (on: boolean) => void }) {
  const can = batch.status === "ready" && ["new", "changed"].includes(row.fate);
  const inFile = Object.entries(row.faults).filter(([at]) => batch.columns.some((c) => c.header === at));
  const missing = Object.entries(row.faults).filter(([at]) => !batch.columns.some((c) => c.header === at));
  return (
    <FateLine number={row.number} fate={row.fate} name={row.tag || "no tag"} can={can} chosen={chosen} onChoose={onChoose}>
        {row.note && <p>{row.note}</p>}
        {row.changes.map((c) => (
          <p key={c.field}>
            {c.field}: <span className="text-muted line-through">{c.old || "empty"}</span> → <strong>{c.new || "empty"}</strong>
          </p>
        ))}
        {Object.keys(row.understood).length > 0 && (
          <p className="text-sm text-muted">
            Taken as:{" "}
            {Object.entries(row.understood)
              .map(([header, text]) => `${header} ${text || "empty"}`)
              .join(", ")}
          </p>
        )}
        {inFile.map(([at, says]) => (
          <div key={at} className="flex flex-wrap items-center gap-x-4">
            <span className="min-w-60 flex-1 text-iron">{says}</span>
            {batch.status === "ready" && <Cell key={row.cells[at]} batch={batch} row={row} header={at} />}
          </div>
        ))}
        {missing.map(([at, says]) => (
          <p key={at} className="text-iron">
            {says} The file has no column for it.
          </p>
        ))}
    </FateLine>
  );
}

/** What each row would do, corrected and chosen here; then written, and taken back if it was wrong. */
export function ImportPage() {
  const { id = "" } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const mayEdit = useMay("edit the plant");
  const [fate, setFate] = useState("");
  const [page, setPage] = useState(1);
  const [left, setLeft] = useState<Set<number>>(new Set());
  const path = { params: { path: { batch_id: id } } };
  const batch = useQuery({
    queryKey: ["import", id],
    queryFn: () => unwrap(client.GET("/api/v1/imports/{batch_id}/", path)),
    refetchInterval: (q) => (BUSY.includes(q.state.data?.status ?? "") ? 500 : false),
  });
  const status = batch.data?.status ?? "";
  const rows = useQuery({
    queryKey: ["import", id, "rows", fate, page, status],
    queryFn: () => unwrap(client.GET("/api/v1/imports/{batch_id}/rows/", { params: { path: { batch_id: id }, query: { fate, page } } })),
    enabled: !!status && !BUSY.includes(status),
  });
  const after = (b: Batch) => {
    queries.setQueryData(["import", id], b);
    void queries.invalidateQueries();
  };
  const [chosen, spread] = useState<boolean | null>(null); // as the plant has it until it is said
  const spreads = chosen ?? batch.data?.spreads ?? false;
  const write = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/imports/{batch_id}/write/", { ...path, body: { leave: [...left], spreads } })),
    onSuccess: after,
  });
  const undo = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/imports/{batch_id}/undo/", path)), onSuccess: after });
  const discard = useMutation({
    mutationFn: async () => {
      await client.DELETE("/api/v1/imports/{batch_id}/", path);
    },
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["imports"] });
      void navigate("/plant/imports");
    },
  });
  if (batch.isPending) return <Loading what="the import" />;
  if (batch.isError) return <Failure error={batch.error} />;
  const b = batch.data;
  const open = (b.counts.new ?? 0) + (b.counts.changed ?? 0) - left.size;
  const failed = write.error ?? undo.error ?? discard.error;
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-4">
        <h1 className="mr-auto text-2xl font-bold">
          {b.name} {WORDS[b.status] ?? b.status}
        </h1>
        <LinkButton to="/plant/imports">All imports</LinkButton>
        {mayEdit && ["ready", "refused"].includes(b.status) && <Button onClick={() => discard.mutate()}>Throw it away</Button>}
        {mayEdit && b.status === "ready" && (b.counts.new ?? 0) > 0 && (
          <CheckLine label="New ones without a history: due over their interval, not all today" checked={spreads} onChange={spread} />
        )}
        {mayEdit && b.status === "ready" && (
          <Button kind="primary" large disabled={open < 1 || write.isPending} onClick={() => write.mutate()}>
            Write {open} {open === 1 ? "row" : "rows"}
          </Button>
        )}
        {mayEdit && b.status === "written" && (
          <Button disabled={undo.isPending} onClick={() => undo.mutate()}>
            Take it back
          </Button>
        )}
      </div>
      {BUSY.includes(b.status) && <Progress batch={b} />}
      {b.says && <Message tone={b.status === "refused" ? "out" : undefined}>{b.says}</Message>}
      {failed && <Failure error={failed} />}
      <div role="group" aria-label="Rows by fate" className="flex flex-wrap gap-2">
        {[["", "All"], ...Object.entries(FATES).filter(([f]) => b.counts[f]).map(([f, [word]]) => [f, word])].map(([f = "", word]) => (
          <Button
            key={f}
            pressed={fate === f}
            onClick={() => {
              setFate(f);
              setPage(1);
            }}
          >
            {word} {f ? b.counts[f] : b.total}
          </Button>
        ))}
      </div>
      {rows.data && (
        <>
          <ul className="border-t-2 border-slate bg-page">
            {rows.data.rows.map((r) => (
              <RowLine
                key={`${r.number} ${r.fate}`}
                batch={b}
                row={r}
                chosen={!left.has(r.number)}
                onChoose={(on) => {
                  const next = new Set(left);
                  if (on) next.delete(r.number);
                  else next.add(r.number);
                  setLeft(next);
                }}
              />
            ))}
          </ul>
          <Pager page={rows.data.page} pages={rows.data.pages} total={rows.data.total} what="rows" onPage={setPage} />
        </>
      )}
    </div>
  );
}
