import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { FileButton, form } from "../../ui/Files";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";

/** A certificate as data (CSV or DCC): previewed as what it would change, then written or thrown away. */
export function TakeCertificate({ code }: { code: string }) {
  const navigate = useNavigate();
  const [told, setTold] = useState({ number: "", calibrated_on: "" });
  const send = useMutation({
    mutationFn: (file: File) => unwrap(client.POST("/api/v1/intakes/certificates/{code}/", { params: { path: { code } }, ...form({ file, ...told }) })),
    onSuccess: (made) => void navigate(`/intakes/${made.id}`),
  });
  const errors = send.error instanceof ApiFailure ? send.error.byField : {};
  return (
    <fieldset aria-label="A new certificate as data" className="space-y-2 border-t border-rule pt-2">
      <legend className="float-left w-full font-bold">A new certificate as data (CSV or DCC)</legend>
      <div className="flex clear-both flex-wrap items-end gap-3">
        <div className="w-56">
          <TextField label="Its number" value={told.number} onChange={(number) => setTold({ ...told, number })} error={errors.number} hint="Where the file does not tell" />
        </div>
        <div className="w-56">
          <TextField label="Calibrated on" value={told.calibrated_on} onChange={(calibrated_on) => setTold({ ...told, calibrated_on })} error={errors.calibrated_on} hint="Like 2026-03-24" />
        </div>
        <FileButton label="Choose it and see what it changes" name="Certificate as data" onFile={(file) => send.mutate(file)} disabled={send.isPending} />
      </div>
      {send.isError && <Failure error={send.error} />}
    </fieldset>
  );
}
