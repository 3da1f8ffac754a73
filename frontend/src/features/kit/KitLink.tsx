import { Link } from "react-router";

/** The code of an item of the kit, leading to its page. */
export function KitLink({ group, code }: { group: string; code: string }) {
  return (
    <Link to={`/kit/${group}/${encodeURIComponent(code)}`} className="inline-flex min-h-12 min-w-20 items-center font-bold text-water underline-offset-4 hover:underline">
      {code}
    </Link>
  );
}
