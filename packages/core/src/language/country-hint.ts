import { listCountries, nameCountry } from '../reference/country-codes.js';
import { isWritableCountry, REGIONS } from '../reference/regions.js';
import { nearestName } from '../text/nearest-name.js';

/** `Write NO for Norway.` where the text is the name of a country or region, or nearly so. */
export function suggestCountry(text: string): string | undefined {
  if (text.length < 4) return undefined;
  const lower = text.toLowerCase();
  if (REGIONS.has(lower.replaceAll(/[ _]/g, '-'))) return `Write ${lower.replaceAll(/[ _]/g, '-')}.`;
  const countries = new Map(listCountries().map((country) => [country.name.toLowerCase(), country]));
  const nearest = nearestName(lower.replaceAll('-', ' '), countries.keys());
  if (nearest === undefined) return undefined;
  const { code, name } = countries.get(nearest)!;
  return `Write ${code} for ${name}.`;
}

/** What people write in place of a code of ISO 3166-1. */
const MEANT: Readonly<Record<string, string>> = {
  UK: 'GB',
  EL: 'GR',
  SU: 'RU',
  TP: 'TL',
  YU: 'RS',
  ZR: 'CD',
  BU: 'MM',
};

/** What to write in place of two letters that are no country; the case of the letters is not looked at. */
export function suggestCode(letters: string): string {
  const code = letters.toUpperCase();
  if (code === 'EU') return 'Write europe for the continent, or the countries one by one.';
  const meant = isWritableCountry(code) ? code : MEANT[code];
  if (meant !== undefined) return `Write ${meant} for ${nameCountry(meant)}.`;
  const near = listCountries().filter((item) => item.code[0] === code[0] || item.code[1] === code[1]);
  const start = near.filter((item) => item.code[0] === code[0]).slice(0, 3);
  return start.length === 0
    ? 'Codes are those of ISO 3166-1.'
    : `Codes that begin so are ${start.map((item) => `${item.code} (${item.name})`).join(', ')}.`;
}
