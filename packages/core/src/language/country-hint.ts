import { listCountries } from '../reference/country-codes.js';
import { nearestName } from './diagnostic.js';

/** `Write NO for Norway.` where the text is the name of a country, or nearly so. */
export function suggestCountry(text: string): string | undefined {
  if (text.length < 4) return undefined;
  const countries = new Map(listCountries().map((country) => [country.name.toLowerCase(), country]));
  const nearest = nearestName(text.toLowerCase().replaceAll('-', ' '), countries.keys());
  if (nearest === undefined) return undefined;
  const { code, name } = countries.get(nearest)!;
  return `Write ${code} for ${name}.`;
}
