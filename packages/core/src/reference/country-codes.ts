const LETTERS = [...'ABCDEFGHIJKLMNOPQRSTUVWXYZ'];
/** Codes that ISO 3166-1 leaves to its users; tables use some, such as XK. */
const USER_ASSIGNED = /^(AA|Q[M-Z]|X[A-Z]|ZZ)$/;
let nameOfCode: Map<string, string> | undefined;

/** English names by ISO 3166-1 code, as the platform knows them (Unicode CLDR). */
function countryNames(): Map<string, string> {
  if (nameOfCode) return nameOfCode;
  const names = new Intl.DisplayNames('en', { type: 'region', fallback: 'none' });
  nameOfCode = new Map();
  for (const code of LETTERS.flatMap((first) => LETTERS.map((second) => first + second))) {
    const name = names.of(code);
    // Some names have a second, withdrawn code, such as UK.
    const isCurrent = Intl.getCanonicalLocales(`und-${code}`)[0] === `und-${code}`;
    if (name !== undefined && isCurrent && !/^unknown|^pseudo/i.test(name)) nameOfCode.set(code, name);
  }
  return nameOfCode;
}

/** Whether a table may use a code: those with a name, and those that are left to users. */
export function isCountryCode(code: string): boolean {
  return countryNames().has(code) || USER_ASSIGNED.test(code);
}

/** Groups of countries and test codes, which the platform has names for. */
const NO_COUNTRIES: ReadonlySet<string> = new Set(['EU', 'EZ', 'UN', 'QO', 'XA', 'XB', 'ZZ']);

/** Whether a code is that of one country with a name. */
export function isNamedCountry(code: string): boolean {
  return countryNames().has(code) && !NO_COUNTRIES.has(code);
}

/** The English name of a country, or its code where it has none. */
export function nameCountry(code: string): string {
  return countryNames().get(code) ?? code;
}

/** Every country with its code, sorted by name. */
export function listCountries(): { readonly code: string; readonly name: string }[] {
  return [...countryNames()]
    .filter(([code]) => isNamedCountry(code))
    .map(([code, name]) => ({ code, name }))
    .sort((a, b) => a.name.localeCompare(b.name, 'en'));
}
