import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { client, unwrap } from "../../api/client";
import { day } from "../../ui/format";

/** What is to be done in the chosen time beside the calibrations: sensors, kit, duties, follow-ups, stand-ins, qualifications. */
export function OtherWork({ area, days }: { area: string; days: string }) {
  const list = useQuery({
    queryKey: ["year", "others", area, days],
    queryFn: () => unwrap(client.GET("/api/v1/year/others/", { params: { query: { area, days: Number(days) || 0 } } })),
  });
  if (!list.data?.length) return null;
  return (
    <section aria-label="Also to be done">
      <h2 className="text-lg font-bold">Also to be done: {list.data.length}</h2>
      <ul className="border-t-2 border-slate bg-page">
        {list.data.map((j, n) => (
          <li key={`${j.kind} ${j.what} ${n}`} className="grid items-center gap-x-4 border-b border-rule px-3 py-0.5 sm:grid-cols-[7rem_1fr_7rem]">
            <Link to={j.link} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
              {j.what}
            </Link>
            <span className="min-w-0">
              <span className="block font-bold">{j.title}</span>
              <span className="block text-sm text-muted">{j.says}</span>
            </span>
            <span>by {day(j.on)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
