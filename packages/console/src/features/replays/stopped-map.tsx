import { nameCountry } from '@jadefence/core/reference';
import type { BreakdownSummary } from '@jadefence/core/replay';
import { lazy, Suspense, useState } from 'react';
import { Choice } from '../../components/choice.js';
import { Card } from '../../components/layout.js';
import { countOf, formatCount } from '../../format.js';

const WorldMap = lazy(() => import('../../components/world-map.js'));
const FIGURES = [
  { value: 'requests', text: 'all requests' },
  { value: 'stopped', text: 'stopped requests' },
] as const;

/** Where the requests of a replay come from. @param onFilter receives a filter for the requests of a country */
export function StoppedMap({
  breakdown,
  onFilter,
}: {
  breakdown: BreakdownSummary;
  onFilter: (where: string) => void;
}) {
  const [figure, setFigure] = useState<(typeof FIGURES)[number]['value']>('requests');
  const countries = breakdown.values.filter(({ value }) => /^[A-Z]{2}$/.test(value));
  if (countries.length === 0) return null;
  const busiest = [...countries].sort((a, b) => b[figure] - a[figure]).slice(0, 3);
  return (
    <Card
      title="Countries of the clients"
      aside={<Choice label="Coloured by" value={figure} options={FIGURES} onChange={setFigure} />}
    >
      <Suspense fallback={<div className="aspect-12/5" />}>
        <WorldMap
          label={`Map of ${countOf(countries.length, 'country', 'countries')}; most ${figure} are from ${busiest.map(({ value }) => nameCountry(value)).join(', ')}. The breakdown by country has the figures.`}
          countries={countries.map(({ value, requests, stopped }) => ({
            code: value,
            value: figure === 'requests' ? requests : stopped,
            text: `${nameCountry(value)}: ${countOf(requests, 'request')}, ${formatCount(stopped)} stopped`,
          }))}
          legend={{
            missing: breakdown.numValues > breakdown.values.length ? 'few requests, or none' : 'no request',
            none: figure === 'stopped' ? 'none stopped' : undefined,
            most: (most) => `up to ${countOf(most, 'request')}`,
          }}
          onChoose={(code) => onFilter(`country = ${code}`)}
        />
      </Suspense>
    </Card>
  );
}
