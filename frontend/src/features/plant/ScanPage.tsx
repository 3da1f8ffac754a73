import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";
import { Button, LinkButton } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Message } from "../../ui/Message";

const LOOK_MS = 250;

/** Frames of the camera looked through for a code, four times a second, until one is found. */
function useCamera(onCode: (code: string) => void) {
  const video = useRef<HTMLVideoElement>(null);
  const found = useRef(onCode);
  const [says, setSays] = useState("Starting the camera…");
  useEffect(() => {
    found.current = onCode;
  });
  useEffect(() => {
    let stream: MediaStream | null = null;
    let timer = 0;
    let over = false;
    const canvas = document.createElement("canvas");
    const start = async () => {
      const { default: read } = await import("jsqr");
      stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment" } });
      if (over || !video.current) return stream.getTracks().forEach((t) => t.stop());
      video.current.srcObject = stream;
      await video.current.play();
      setSays("Hold the label before the camera.");
      timer = window.setInterval(() => {
        const v = video.current;
        const paper = canvas.getContext("2d", { willReadFrequently: true });
        if (!v?.videoWidth || !paper) return;
        canvas.width = v.videoWidth;
        canvas.height = v.videoHeight;
        paper.drawImage(v, 0, 0);
        const code = read(paper.getImageData(0, 0, canvas.width, canvas.height).data, canvas.width, canvas.height);
        if (code?.data) found.current(code.data);
      }, LOOK_MS);
    };
    start().catch(() => setSays("No camera can be used here. Type the tag or the serial below."));
    return () => {
      over = true;
      window.clearInterval(timer);
      stream?.getTracks().forEach((t) => t.stop());
    };
  }, []);
  return { video, says };
}

/** From a label to the instrument's page: by camera, or by the code typed. */
export function ScanPage() {
  const navigate = useNavigate();
  const [typed, setTyped] = useState("");
  const look = useMutation({
    mutationFn: (code: string) => unwrap(client.GET("/api/v1/find/", { params: { query: { code } } })),
    onSuccess: (found) => {
      if (found.tag) void navigate(`/plant/${encodeURIComponent(found.tag)}`);
    },
  });
  const asked = useRef("");
  const { video, says } = useCamera((code) => {
    if (asked.current === code) return;
    asked.current = code;
    look.mutate(code);
  });
  return (
    <div className="mx-auto max-w-3xl space-y-4 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">Scan a label</h1>
      <video ref={video} muted playsInline aria-label="Camera" className="aspect-video max-h-80 w-full rounded-lg bg-slate object-cover" />
      <p role="status">{says}</p>
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          look.mutate(typed);
        }}
      >
        <div className="flex-1">
          <TextField label="Or type the tag or the serial" value={typed} onChange={setTyped} autoFocus />
        </div>
        <Button kind="primary" type="submit" disabled={look.isPending}>
          Open it
        </Button>
        <LinkButton to="/plant">Back to the plant</LinkButton>
      </form>
      {look.isError && <Failure error={look.error} />}
      {!!look.data?.others.length && (
        <Message tone="edge">
          Several have it:{" "}
          {look.data.others.map((tag) => (
            <Link key={tag} to={`/plant/${encodeURIComponent(tag)}`} className="mr-3 font-bold underline">
              {tag}
            </Link>
          ))}
        </Message>
      )}
    </div>
  );
}
