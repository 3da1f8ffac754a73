import { useQuery } from "@tanstack/react-query";
import { evidenceQuery } from "../../api/queries";
import { useMay } from "../../app/session";
import { LinkButton } from "../../ui/Button";
import { Message } from "../../ui/Message";

/** On the first page, for whoever must do something about it. */
export function EvidenceNotice() {
  const may = useMay("look after the evidence");
  const found = useQuery({ ...evidenceQuery, enabled: may, staleTime: 60_000 });
  const wrong = found.data?.wrong ?? [];
  if (!wrong.length) return null;
  return (
    <div className="mb-6 space-y-2">
      {wrong.map((says) => (
        <Message key={says} tone="out">
          <p>{says}</p>
          <LinkButton to="/evidence">To the evidence</LinkButton>
        </Message>
      ))}
    </div>
  );
}
