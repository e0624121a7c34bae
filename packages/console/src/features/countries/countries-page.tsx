import { useQuery } from '@tanstack/react-query';
import type { Countries } from '@jadefence/contract';
import { formatAddressCount } from '@jadefence/core/reference';
import { useState } from 'react';
import { countriesQuery, logsQuery } from '../../api/queries.js';
import { Choice } from '../../components/choice.js';
import { Card, Command, EmptyState, PageHeading, WideTable } from '../../components/layout.js';
import { Loaded } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { countOf, formatCount, formatShare } from '../../format.js';
import { CorrectionsCard } from '../reference/corrections-card.js';
import { DatasetsCard } from '../reference/datasets-card.js';
import { FreshnessBadge } from '../reference/freshness-badge.js';
import { ImportForm } from '../reference/import-form.js';
import { SourceCard } from '../reference/source-card.js';
import { AddressLookupCard } from './address-lookup.js';
import { CountryMap } from './country-map.js';

const NO_LOG = 0;

/** The country table: how fresh and how full it is, where it is wrong, and who an address belongs to. */
export function CountriesPage() {
  const logs = useQuery(logsQuery()).data ?? [];
  const [chosen, setChosen] = useState<number>();
  const logId = chosen ?? logs[0]?.id ?? NO_LOG;
  const countries = useQuery(countriesQuery(logId === NO_LOG ? undefined : logId));
  return (
    <>
      <PageHeading
        title="Countries"
        aside={
          logs.length > 0 && (
            <Choice
              label="Requests of"
              value={logId}
              options={[...logs.map(({ id, name }) => ({ value: id, text: name })), { value: NO_LOG, text: 'no log' }]}
              onChange={setChosen}
            />
          )
        }
      >
        Which ranges of addresses belong to which country. A site is often not in the country that its name suggests:
        look it up.
      </PageHeading>
      <Loaded query={countries}>{(data) => <Overview countries={data} />}</Loaded>
      <AddressLookupCard />
      <CorrectionsCard kind="country" />
      <Card title="Import a table">
        <ImportForm
          label="Rows start,end,CC or cidr,CC, statistics of a registry, or MMDB; also as gzip"
          queryFor={(file) => ({ kind: 'country', name: file.name })}
        />
      </Card>
      <SourceCard kind="country" name="" />
      <DatasetsCard kind="country" title="Country tables that were imported" />
    </>
  );
}

function Overview({ countries }: { countries: Countries }) {
  const { table, freshness } = countries;
  if (!table)
    return (
      <EmptyState title="No country table yet">
        Every country is unknown until there is one. Import one below, or with{' '}
        <Command>jadefence country import FILE</Command>.
      </EmptyState>
    );
  return (
    <Card title={<>{table.name}</>} aside={<FreshnessBadge freshness={freshness} />}>
      <CountryMap countries={countries} />
      <CountryTable countries={countries} />
    </Card>
  );
}

function CountryTable({ countries: { countries, requests, elsewhere } }: { countries: Countries }) {
  const [search, setSearch] = useState('');
  const wanted = search.trim().toLowerCase();
  const row = countries
    .filter(({ country, name }) => `${country} ${name}`.toLowerCase().includes(wanted))
    .sort((a, b) => (b.requests ?? 0) - (a.requests ?? 0) || a.name.localeCompare(b.name, 'en'));
  const columns = ['country', 'ranges', 'IPv4 addresses', 'IPv6 addresses', ...(requests ? ['requests', 'share'] : [])];
  return (
    <>
      <div className="flex flex-wrap items-end justify-between gap-3 border-t border-line p-4 text-sm">
        <TextField label="Find a country" value={search} onChange={(event) => setSearch(event.target.value)} />
        {elsewhere && (
          <p className="text-muted">
            {Object.entries(elsewhere)
              .map(([code, count]) => `${countOf(count, 'request')} from ${ELSEWHERE[code] ?? code}`)
              .join(', ')}
          </p>
        )}
      </div>
      <div className="max-h-96 overflow-y-auto">
        <WideTable label="Countries of the table">
          <thead className="text-muted">
            <tr className="border-b border-line">
              {columns.map((column) => (
                <th
                  key={column}
                  scope="col"
                  className={`px-4 py-2 font-medium ${column === 'country' ? '' : 'text-right'}`}
                >
                  {column}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {row.map((item) => (
              <tr key={item.country} className="border-b border-line last:border-b-0">
                <td className="px-4 py-1.5">
                  {item.name} <span className="font-mono text-muted">{item.country}</span>
                </td>
                <td className="px-4 py-1.5 text-right">{formatCount(item.numRanges)}</td>
                <td className="px-4 py-1.5 text-right">{formatAddressCount(item.addresses4)}</td>
                <td className="px-4 py-1.5 text-right">{formatAddressCount(item.addresses6)}</td>
                {requests !== undefined && requests > 0 && (
                  <>
                    <td className="px-4 py-1.5 text-right">{formatCount(item.requests ?? 0)}</td>
                    <td className="px-4 py-1.5 text-right">{formatShare((item.requests ?? 0) / requests)}</td>
                  </>
                )}
              </tr>
            ))}
          </tbody>
        </WideTable>
      </div>
    </>
  );
}

const ELSEWHERE: Record<string, string> = {
  'no-country': 'no country',
  'internal': 'private and local addresses',
  'unknown': 'clients that are not known',
};
