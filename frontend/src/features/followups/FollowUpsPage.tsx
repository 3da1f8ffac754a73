import { Button } from "../../ui/Button";
import { Failure, Loading, Message } from "../../ui/Message";
import { useFilters } from "../../ui/useFilters";
import { FollowUpRows } from "./FollowUpRows";
import { useFollowUps } from "./useFollowUps";

/** Everything that was found outside: what is open, or what was closed. */
export function FollowUpsPage() {
  const [get, set] = useFilters();
  const closed = get("closed") === "yes";
  const list = useFollowUps(closed);
  if (list.isPending) return <Loading what="the follow-ups" />;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const d = list.data;
  return (
    <div className="mx-auto max-w-6xl p-4 lg:p-6">
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Found outside, followed up</h1>
        <Button pressed={!closed} onClick={() => set({ closed: "" })}>
          {d.open} open
        </Button>
        <Button pressed={closed} onClick={() => set({ closed: "yes" })}>
          {d.closed} closed
        </Button>
      </div>
      {d.rows.length ? <FollowUpRows rows={d.rows} /> : <Message>{closed ? "None was closed yet." : "None is open: whatever was found outside has been followed up."}</Message>}
    </div>
  );
}
