/** Where the requests of a replay come from, as a picture. */
import { nameCountry } from '@jadefence/core/reference';
import { countryNumber, OUTLINES, shadeOf, WORLD_HEIGHT, WORLD_WIDTH } from './world.js';

export interface CountryFigure {
  /** ISO 3166-1 alpha-2. */
  readonly code: string;
  readonly requests: number;
  readonly stopped: number;
}

/** An SVG element; none without a country. The colours are those of the report. */
export function drawMap(countries: readonly CountryFigure[]): string {
  if (countries.length === 0) return '';
  const most = Math.max(...countries.map(({ requests }) => requests));
  const byNumber = new Map(countries.map((country) => [countryNumber(country.code), country]));
  const paths = OUTLINES.map(({ number, path }) => {
    const country = number === undefined ? undefined : byNumber.get(number);
    if (!country) return `<path d="${path}"/>`;
    const { code, requests, stopped } = country;
    const title = `${nameCountry(code)}: ${requests.toLocaleString('en')} requests, ${stopped.toLocaleString('en')} stopped`;
    return `<path class="shade${shadeOf(requests, most)}${stopped > 0 ? ' some-stopped' : ''}" d="${path}"><title>${title}</title></path>`;
  });
  return `<svg class="world" viewBox="0 0 ${WORLD_WIDTH} ${WORLD_HEIGHT}" role="img" aria-label="Map of the countries of the requests">${paths.join('')}</svg>
<p class="muted">The darker, the more requests, up to ${most.toLocaleString('en')}; with an outline, some are stopped.</p>`;
}
