import { useSearchParams } from "react-router";

/** Filters of a list live in the address, so that a reload or a shared link shows the same list. */
export function useFilters(): [(name: string) => string, (changes: Record<string, string>) => void, number] {
  const [params, setParams] = useSearchParams();
  const get = (name: string) => params.get(name) ?? "";
  const set = (changes: Record<string, string>) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (!("page" in changes)) next.delete("page");
        for (const [name, value] of Object.entries(changes)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true },
    );
  return [get, set, Number(get("page")) || 1];
}
