import { nearestName } from './diagnostic.js';

const LETTERS = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
let codeOfName: Map<string, string> | undefined;

/** English names of ISO 3166-1 countries in lower case, as the platform knows them (Unicode CLDR), with their codes. */
function countryNames(): Map<string, string> {
  if (codeOfName) return codeOfName;
  const names = new Intl.DisplayNames('en', { type: 'region', fallback: 'none' });
  codeOfName = new Map();
  for (const code of LETTERS.flatMap((first) => LETTERS.map((second) => first + second))) {
    const name = names.of(code);
    // Some names have a second, withdrawn code, such as UK.
    const isCurrent = Intl.getCanonicalLocales(`und-${code}`)[0] === `und-${code}`;
    if (name !== undefined && isCurrent && !/^unknown|^pseudo/i.test(name)) codeOfName.set(name.toLowerCase(), code);
  }
  return codeOfName;
}

/** `Write NO for Norway.` where the text is the name of a country, or nearly so. */
export function suggestCountry(text: string): string | undefined {
  const names = countryNames();
  const name = text.length < 4 ? undefined : nearestName(text.toLowerCase().replaceAll('-', ' '), names.keys());
  return name === undefined
    ? undefined
    : `Write ${names.get(name)} for ${name.replace(/(^|\s)\p{L}/gu, (letter) => letter.toUpperCase())}.`;
}

/** Every country with its code, sorted by name. */
export function listCountries(): { readonly code: string; readonly name: string }[] {
  const display = new Intl.DisplayNames('en', { type: 'region' });
  return [...countryNames().values()]
    .filter((code) => /^[A-Z]{2}$/.test(code))
    .map((code) => ({ code, name: display.of(code)! }))
    .sort((a, b) => a.name.localeCompare(b.name, 'en'));
}
