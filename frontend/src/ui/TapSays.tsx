/** What one tap says, to be read before it is said. */
export function TapSays({ tap }: { tap: { cautions: string[]; says: string[] } }) {
  return (
    <>
      {tap.cautions.length > 0 && (
        <ul className="max-w-3xl space-y-1 border-l-8 border-amber bg-amber-soft px-3 py-2" aria-label="Cautions">
          {tap.cautions.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </ul>
      )}
      {tap.says.length > 0 && (
        <div>
          <p className="font-bold">With one tap you say</p>
          <ul className="grid max-w-4xl list-disc gap-x-8 pl-6 sm:grid-cols-2">
            {tap.says.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </div>
      )}
    </>
  );
}
