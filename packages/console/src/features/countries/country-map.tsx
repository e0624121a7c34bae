import type { Countries } from '@jadefence/contract';
import { lazy, Suspense } from 'react';
import { countOf, formatCount } from '../../format.js';

const WorldMap = lazy(() => import('../../components/world-map.js'));

/** What the table, or a log, holds by country. */
export function CountryMap({ countries: { countries, requests } }: { countries: Countries }) {
  const hasLog = requests !== undefined && requests > 0;
  return (
    <Suspense fallback={<div className="aspect-12/5" />}>
      <WorldMap
        label={describe(countries, hasLog)}
        countries={countries.map(({ country, name, requests: count = 0, addresses4, addresses6 }) => ({
          code: country,
          value: hasLog ? count : Number(addresses4) + (addresses6 === '0' ? 0 : 1),
          text: `${name}: ${hasLog ? `${formatCount(count)} requests` : `${formatCount(Number(addresses4))} IPv4 addresses`}`,
        }))}
        legend={{
          missing: 'not in the table',
          none: hasLog ? 'in the table, no request' : 'in the table, IPv6 only',
          most: (most) => (hasLog ? `up to ${countOf(most, 'request')}` : `up to ${formatCount(most)} IPv4 addresses`),
        }}
      />
    </Suspense>
  );
}

function describe(countries: Countries['countries'], hasLog: boolean): string {
  const busiest = [...countries].sort((a, b) => (b.requests ?? 0) - (a.requests ?? 0)).slice(0, 3);
  return hasLog
    ? `Map of the ${countries.length} countries of the table; most requests come from ${busiest.map(({ name }) => name).join(', ')}. The table below has the figures.`
    : `Map of the ${countries.length} countries of the table. The table below has the figures.`;
}
