import { useEffect, type ReactNode } from 'react';

/** The head of a page: what it is, and what can be done with the whole of it. */
export function PageHeading({ title, children, aside }: { title: string; children?: ReactNode; aside?: ReactNode }) {
  useEffect(() => {
    document.title = `${title} · Jade Fence`;
  }, [title]);
  return (
    <header className="mb-4 flex flex-wrap items-end justify-between gap-4">
      <div>
        <h1 tabIndex={-1} className="text-xl font-semibold tracking-tight outline-none">
          {title}
        </h1>
        {children && <p className="mt-0.5 max-w-3xl text-sm text-muted">{children}</p>}
      </div>
      {aside}
    </header>
  );
}

export function Card({ title, aside, children }: { title?: ReactNode; aside?: ReactNode; children: ReactNode }) {
  return (
    <section className="mb-4 overflow-hidden rounded-xl border border-line bg-surface shadow-sm">
      {title && (
        <div className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-2">
          <h2 className="flex flex-wrap items-center gap-2 font-semibold">{title}</h2>
          {aside}
        </div>
      )}
      {children}
    </section>
  );
}

/** What to read before the rest of a page. */
export function Notice({ children }: { children: ReactNode }) {
  return (
    <p role="note" className="mb-4 rounded-xl border border-line bg-surface px-4 py-3">
      {children}
    </p>
  );
}

/** What to do first if there is nothing yet. @param isPage it is the whole page, so its title is the page's */
export function EmptyState({
  title,
  children,
  isPage = false,
}: {
  title: string;
  children: ReactNode;
  isPage?: boolean;
}) {
  const Title = isPage ? 'h1' : 'p';
  useEffect(() => {
    if (isPage) document.title = `${title} · Jade Fence`;
  }, [isPage, title]);
  return (
    <div className="rounded-xl border border-dashed border-line bg-surface px-6 py-12 text-center">
      <Title tabIndex={isPage ? -1 : undefined} className="font-semibold outline-none">
        {title}
      </Title>
      <div className="mt-2 text-sm text-muted">{children}</div>
    </div>
  );
}

export function Command({ children }: { children: string }) {
  return <code className="rounded bg-sunken px-1.5 py-0.5 font-mono text-[0.85em] text-ink">{children}</code>;
}

/** Scrolls sideways by itself where the page is narrower than the table; positioned, so that hidden labels inside stay inside. */
export function WideTable({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="relative overflow-x-auto" tabIndex={0} role="region" aria-label={label}>
      <table className="w-full text-left text-sm tabular-nums">{children}</table>
    </div>
  );
}
