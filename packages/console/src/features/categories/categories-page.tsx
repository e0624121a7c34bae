import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { CategoryLookup, CategoryOverview, FeedInfo } from '@jadefence/contract';
import { useState, type FormEvent } from 'react';
import { service } from '../../api/client.js';
import { categoriesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, Command, EmptyState, PageHeading, WideTable } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { countOf, formatCount } from '../../format.js';
import { CorrectionsCard } from '../reference/corrections-card.js';
import { DatasetsCard } from '../reference/datasets-card.js';
import { FreshnessBadge } from '../reference/freshness-badge.js';
import { ImportForm } from '../reference/import-form.js';
import { SourceCard } from '../reference/source-card.js';

/** The category feeds in their order, their contents, and their answers for a site. */
export function CategoriesPage() {
  const categories = useQuery(categoriesQuery);
  const [feed, setFeed] = useState('');
  const [category, setCategory] = useState('');
  return (
    <>
      <PageHeading title="Categories">
        Which kinds of site a domain or URL is of. A correction beats every feed; else the first feed that knows the
        request decides, with its most specific entries.
      </PageHeading>
      <Loaded query={categories}>{(overview) => <Overview overview={overview} />}</Loaded>
      <SiteLookupCard />
      <CorrectionsCard kind="category" />
      <Card title="Import a feed">
        <ImportForm
          label="Lines domain-or-url,category; a list or hosts file of one category; or a .tar.gz of lists named by their category"
          queryFor={(file) => ({ kind: 'category', name: feed || file.name, category: category || undefined })}
        >
          <div className="flex flex-wrap gap-3">
            <TextField
              label="Name of the feed"
              value={feed}
              placeholder="that of the file"
              onChange={(event) => setFeed(event.target.value)}
            />
            <TextField
              label="Category for lines without one"
              value={category}
              onChange={(event) => setCategory(event.target.value)}
            />
          </div>
        </ImportForm>
      </Card>
      {categories.data?.feeds.map(({ name }) => (
        <SourceCard key={name} kind="category" name={name} />
      ))}
      <DatasetsCard kind="category" title="Category feeds that were imported" />
    </>
  );
}

function Overview({ overview: { feeds, categories } }: { overview: CategoryOverview }) {
  if (feeds.length === 0)
    return (
      <EmptyState title="No category feed yet">
        Every category is unknown until there is one. Import one below, or with{' '}
        <Command>jadefence category import FILE</Command>.
      </EmptyState>
    );
  return (
    <div className="grid items-start gap-x-6 md:grid-cols-2">
      <FeedsCard feeds={feeds} />
      <Card title={`${formatCount(categories.length)} categories`}>
        <div className="max-h-80 overflow-y-auto">
          <WideTable label="Categories">
            <thead className="text-muted">
              <tr className="border-b border-line">
                {['category', 'entries', 'feeds'].map((column) => (
                  <th
                    key={column}
                    scope="col"
                    className={`px-4 py-2 font-medium ${column === 'entries' ? 'text-right' : ''}`}
                  >
                    {column}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {categories.map(({ name, numEntries, feeds: known }) => (
                <tr key={name} className="border-b border-line last:border-b-0">
                  <td className="px-4 py-1.5 font-mono">{name}</td>
                  <td className="px-4 py-1.5 text-right">{formatCount(numEntries)}</td>
                  <td className="px-4 py-1.5 text-muted">{known.join(', ')}</td>
                </tr>
              ))}
            </tbody>
          </WideTable>
        </div>
      </Card>
    </div>
  );
}

function FeedsCard({ feeds }: { feeds: readonly FeedInfo[] }) {
  const client = useQueryClient();
  const onSettled = (): Promise<void> =>
    client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' });
  const order = useMutation({ mutationFn: (names: readonly string[]) => service.orderFeeds(names), onSettled });
  const remove = useMutation({ mutationFn: (name: string) => service.removeFeed(name), onSettled });
  const names = feeds.map(({ name }) => name);
  const raise = (index: number): void => {
    const raised = [...names];
    [raised[index - 1], raised[index]] = [raised[index]!, raised[index - 1]!];
    order.mutate(raised);
  };
  const error = order.error ?? remove.error;
  return (
    <Card title="Feeds in order">
      {error && (
        <div className="p-4">
          <ErrorNotice error={error} />
        </div>
      )}
      <ol>
        {feeds.map(({ name, dataset, freshness }, index) => (
          <li
            key={name}
            className="flex flex-wrap items-center justify-between gap-3 border-b border-line px-4 py-3 text-sm last:border-b-0"
          >
            <div>
              <p className="font-medium">
                {index + 1}. {name}
              </p>
              <p className="text-muted">
                {countOf(dataset.numEntries, 'entry', 'entries')} in{' '}
                {countOf(dataset.categories?.length ?? 0, 'category', 'categories')}
              </p>
              <FreshnessBadge freshness={freshness} />
            </div>
            <div className="flex gap-2">
              {index > 0 && (
                <Button size="small" aria-label={`Move ${name} up`} onClick={() => raise(index)}>
                  Move up
                </Button>
              )}
              <Button size="small" aria-label={`Remove ${name}`} onClick={() => remove.mutate(name)}>
                Remove
              </Button>
            </div>
          </li>
        ))}
      </ol>
    </Card>
  );
}

function SiteLookupCard() {
  const [requested, setRequested] = useState('');
  const found = useQuery({
    queryKey: ['reference', 'lookup category', requested],
    queryFn: () => service.lookupCategory(requested),
    enabled: requested !== '',
    retry: false,
  });
  const lookup = (event: FormEvent<HTMLFormElement>): void => {
    event.preventDefault();
    setRequested(String(new FormData(event.currentTarget).get('site')).trim());
  };
  return (
    <Card title="Category lookup">
      <form onSubmit={lookup} className="grid gap-3 p-4 text-sm">
        <div className="flex items-end gap-2">
          <TextField label="Domain or URL" name="site" required placeholder="shop.example/play" className="grow" />
          <Button type="submit">Look up</Button>
        </div>
        {found.error && <ErrorNotice error={found.error} />}
        {found.data && <Answer answer={found.data} />}
      </form>
    </Card>
  );
}

function Answer({ answer: { requested, categories, evidence, answers, site } }: { answer: CategoryLookup }) {
  return (
    <div role="status" className="rounded-lg bg-sunken p-3">
      <p>
        <span className="font-mono">{requested}</span> is <strong>{categories.join(', ')}</strong>: {evidence}.
        {site && <span className="text-muted"> Its registrable domain is {site}.</span>}
      </p>
      <ol className="mt-2 grid gap-1">
        {answers.map(({ feed, categories: settings, entry }, index) => (
          <li key={feed ?? ''} className={index === 0 ? '' : 'text-muted'}>
            {feed ?? 'Correction'}: {settings.join(', ')}, entry <span className="font-mono">{entry}</span>
            {index === 0 ? '' : ' (not used, because an earlier source knows it)'}
          </li>
        ))}
      </ol>
    </div>
  );
}
