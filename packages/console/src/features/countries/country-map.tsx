/** A map of what the table and a log hold. Loaded only where it is shown, since its outlines are large. */
import type { Countries } from '@jadefence/contract';
import { geoNaturalEarth1, geoPath } from 'd3-geo';
import type { GeometryCollection } from 'topojson-specification';
import { alpha2ToNumeric } from 'i18n-iso-countries';
import { feature } from 'topojson-client';
import type { FeatureCollection, Geometry } from 'geojson';
import world from 'world-atlas/countries-110m.json';
import { countOf, formatCount } from '../../format.js';

const WIDTH = 960;
const HEIGHT = 400;
/** Shares are shown by their square root, so that small ones differ from none. */
const SHADES = 5;

const outlines = feature(
  world as never,
  (world as unknown as { objects: { countries: GeometryCollection } }).objects.countries,
) as FeatureCollection<Geometry, { name: string }>;
// The far south is left out: it has no networks, and takes a sixth of the map.
const shown = { ...outlines, features: outlines.features.filter(({ id }) => id !== '010') };
const path = geoPath(
  geoNaturalEarth1().fitExtent(
    [
      [2, 2],
      [WIDTH - 2, HEIGHT - 2],
    ],
    shown,
  ),
);

export default function CountryMap({ countries: { countries, requests } }: { countries: Countries }) {
  const hasLog = requests !== undefined && requests > 0;
  const valueOf = (item: Countries['countries'][number]): number =>
    hasLog ? (item.requests ?? 0) : Number(item.addresses4) + (item.addresses6 === '0' ? 0 : 1);
  const most = Math.max(1, ...countries.map(valueOf));
  const byNumber = new Map(countries.map((eachCountry) => [alpha2ToNumeric(eachCountry.country), eachCountry]));
  return (
    <figure className="px-4 pt-4">
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="img" aria-label={describe(countries, hasLog)} className="w-full">
        {shown.features.map((feature, index) => {
          const country = byNumber.get(String(feature.id));
          const value = country ? valueOf(country) : 0;
          const shade = value === 0 ? 0 : Math.max(1, Math.ceil(Math.sqrt(value / most) * SHADES));
          return (
            <path
              key={`${feature.id} ${index}`}
              d={path(feature) ?? ''}
              stroke="var(--color-surface)"
              strokeWidth={0.5}
              fill={
                country
                  ? shade === 0
                    ? 'var(--color-jade-soft)'
                    : `color-mix(in oklab, var(--color-jade) ${20 + shade * 16}%, var(--color-jade-soft))`
                  : 'var(--color-sunken)'
              }
            >
              <title>
                {country
                  ? `${country.name}: ${hasLog ? `${formatCount(country.requests ?? 0)} requests` : `${formatCount(Number(country.addresses4))} IPv4 addresses`}`
                  : `${feature.properties.name}: not in the table`}
              </title>
            </path>
          );
        })}
      </svg>
      <figcaption className="flex flex-wrap items-center gap-x-4 gap-y-1 pb-2 text-xs text-muted">
        <Key colour="var(--color-sunken)" text="not in the table" />
        <Key colour="var(--color-jade-soft)" text={hasLog ? 'in the table, no request' : 'in the table, IPv6 only'} />
        <Key
          colour="var(--color-jade)"
          text={hasLog ? `up to ${countOf(most, 'request')}` : `up to ${formatCount(most)} IPv4 addresses`}
        />
      </figcaption>
    </figure>
  );
}

function Key({ colour, text }: { colour: string; text: string }) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <span aria-hidden className="size-3 rounded-sm border border-line" style={{ background: colour }} />
      {text}
    </span>
  );
}

function describe(countries: Countries['countries'], hasLog: boolean): string {
  const busiest = [...countries].sort((a, b) => (b.requests ?? 0) - (a.requests ?? 0)).slice(0, 3);
  return hasLog
    ? `Map of the ${countries.length} countries of the table; most requests come from ${busiest.map(({ name }) => name).join(', ')}. The table below has the figures.`
    : `Map of the ${countries.length} countries of the table. The table below has the figures.`;
}
