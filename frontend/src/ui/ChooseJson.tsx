import { useRef } from "react";
import { ApiFailure } from "../api/client";
import { Button } from "./Button";

/** What a chosen file holds; a sentence where it is no JSON. */
export async function readJson(file: File): Promise<Record<string, unknown>> {
  try {
    const held: unknown = JSON.parse(await file.text());
    if (held && typeof held === "object" && !Array.isArray(held)) return held as Record<string, unknown>;
  } catch {
    // told below
  }
  throw new ApiFailure(400, { code: "bad_file", message: `${file.name} is not a JSON file. Choose a parameter set that was saved here.` });
}

/** A button that has a JSON file chosen. */
export function ChooseJson({ says, label, onChoose, disabled }: { says: string; label: string; onChoose: (file: File) => void; disabled?: boolean }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => input.current?.click()} disabled={disabled}>
        {says}
      </Button>
      <input
        ref={input}
        type="file"
        accept="application/json,.json"
        className="hidden"
        aria-label={label}
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) onChoose(file);
          e.target.value = "";
        }}
      />
    </>
  );
}
