/** The attributes of a request that are there, folded. */
export function ExampleRequest({ request }: { request: Readonly<Record<string, unknown>> }) {
  const shown = Object.entries(request).filter(([, value]) => value !== null);
  return (
    <details>
      <summary className="cursor-pointer text-muted">A request that shows it</summary>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 pt-1 font-mono text-xs">
        {shown.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-muted">{name}</dt>
            <dd className="break-all">{typeof value === 'string' ? value : JSON.stringify(value)}</dd>
          </div>
        ))}
      </dl>
    </details>
  );
}
