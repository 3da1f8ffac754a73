import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure } from "../../ui/Message";

/** Private links for calendar programs: one's own rounds, what is due in an area, and for who plans the rounds of others. */
export function Calendars({ areas, people }: { areas: { value: string; label: string }[]; people: { username: string; name: string }[] }) {
  const queries = useQueryClient();
  const feeds = useQuery({ queryKey: ["feeds"], queryFn: () => unwrap(client.GET("/api/v1/feeds/")) });
  const calendars = [
    { value: "", label: "my rounds", body: { area: "", person: "" } },
    ...areas.map((a) => ({ ...a, body: { area: a.value, person: "" } })),
    ...people.map((p) => ({ value: `rounds of ${p.username}`, label: `rounds of ${p.name}`, body: { area: "", person: p.username } })),
  ];
  const [chosen, choose] = useState("");
  const body = calendars.find((c) => c.value === chosen)?.body ?? { area: "", person: "" };
  const after = () => void queries.invalidateQueries({ queryKey: ["feeds"] });
  const [address, told] = useState<Record<number, string>>({});
  const make = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/feeds/", { body })),
    onSuccess: (made) => {
      told((old) => ({ ...old, [made.id]: made.address }));
      after();
    },
  });
  const revoke = useMutation({
    mutationFn: async (id: number) => {
      await client.DELETE("/api/v1/feeds/{feed_id}/", { params: { path: { feed_id: id } } });
    },
    onSuccess: after,
  });
  return (
    <div className="space-y-3">
      <p>Whoever has such a link can read that calendar. Revoke it when it has gone astray.</p>
      {(feeds.data ?? []).map((f) => (
        <div key={f.id} className="space-y-1 border-b border-rule pb-2">
          <p className="font-bold">{f.area ? `What is due in ${f.area}` : f.person ? `Rounds of ${f.person}` : "My rounds"}</p>
          {address[f.id] ? (
            <>
              <input readOnly value={address[f.id]} aria-label="Link" onFocus={(e) => e.target.select()} className="min-h-12 w-full rounded-md border-2 border-rule bg-page px-3 text-sm" />
              <p className="text-sm text-muted">Take it over now: it is not shown again.</p>
            </>
          ) : (
            <p className="text-sm text-muted">Made {moment(f.made_at)}. Its link was shown then.</p>
          )}
          <Button onClick={() => revoke.mutate(f.id)}>Revoke it</Button>
        </div>
      ))}
      <div className="flex items-end gap-3">
        <div className="flex-1">
          <ChoiceField label="A calendar of" value={chosen} onChange={choose} options={calendars} />
        </div>
        <Button kind="primary" onClick={() => make.mutate()} disabled={make.isPending}>
          Make a link
        </Button>
      </div>
      {make.isError && <Failure error={make.error} />}
    </div>
  );
}
