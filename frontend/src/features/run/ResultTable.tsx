/** A table of results as the server words it. */
export function ResultTable({ head, rows }: { head: string[]; rows: string[][] }) {
  if (!rows.length) return null;
  return (
    <div className="overflow-x-auto" role="group" aria-label={head.filter(Boolean).join(", ")} tabIndex={0}>
      <table className="w-full text-[15px]">
        <thead>
          <tr className="border-b-2 border-slate text-sm">
            {head.map((h) => (
              <th key={h} className="pr-3 font-normal">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.join()} className="border-b border-rule">
              {row.map((cell, n) => (
                <td key={head[n]} className={`py-1 pr-3 whitespace-nowrap ${n === 2 || n === 4 ? "font-bold" : ""}`}>
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
