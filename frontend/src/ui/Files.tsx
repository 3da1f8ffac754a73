import { useMutation } from "@tanstack/react-query";
import { Upload as UploadIcon } from "lucide-react";
import { useRef } from "react";
import { Button } from "./Button";
import { moment } from "./format";
import { Failure } from "./Message";

interface Kept {
  id: number;
  name: string;
  size: number;
  at: string;
  by: string;
}

/** Attached files, each to be had as a download. */
export function FileList({ files, path }: { files: Kept[]; path: string }) {
  return (
    <ul>
      {files.map((f) => (
        <li key={f.id} className="flex flex-wrap items-center gap-x-4 border-b border-rule">
          <a href={`${path}${f.id}/`} className="inline-flex min-h-12 items-center font-bold break-all text-water underline">
            {f.name}
          </a>
          <span className="text-sm text-muted">
            {Math.max(1, Math.round(f.size / 1024))} kB, {moment(f.at)}, {f.by}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** What a generated client needs to send files and texts: the form itself instead of JSON. */
export function form(parts: Record<string, string | Blob>) {
  const body = new FormData();
  for (const [name, part] of Object.entries(parts)) body.append(name, part);
  return { body: body as unknown as never, bodySerializer: () => body };
}

/** The same for one file. */
export function asForm(file: File) {
  return form({ file });
}

/** A button that asks for a file; `name` is what the file is called for those who hear the page. */
export function FileButton({ label, name, disabled, onFile }: { label: string; name: string; disabled?: boolean; onFile: (file: File) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => input.current?.click()} disabled={disabled}>
        <UploadIcon size={18} aria-hidden="true" /> {label}
      </Button>
      <input
        ref={input}
        type="file"
        aria-label={name}
        tabIndex={-1}
        className="sr-only"
        onChange={(e) => {
          const sent = e.target.files?.[0];
          e.target.value = "";
          if (sent) onFile(sent);
        }}
      />
    </>
  );
}

/** A button that asks for a file and sends it. */
export function Upload<T>({ label, send, onDone }: { label: string; send: (file: File) => Promise<T>; onDone: (made: T) => void }) {
  const sending = useMutation({ mutationFn: send, onSuccess: onDone });
  return (
    <>
      <label className="inline-flex min-h-12 cursor-pointer items-center rounded-md border-2 border-rule-strong bg-page px-4 font-bold text-water focus-within:border-water">
        {sending.isPending ? "Sending…" : label}
        <input
          type="file"
          className="sr-only"
          onChange={(e) => {
            const file = e.target.files?.[0];
            e.target.value = "";
            if (file) sending.mutate(file);
          }}
        />
      </label>
      {sending.isError && <Failure error={sending.error} />}
    </>
  );
}
