import { describe, expect, it } from 'vitest';
import { listCountries } from './country-codes.js';
import { isWritableCountry, REGIONS } from './regions.js';

describe('the regions of the world', () => {
  const continents = [...REGIONS.values()].filter(({ isContinent }) => isContinent);

  it('have every country in one continent', () => {
    const all = continents.flatMap(({ countries }) => countries).sort();
    expect(new Set(all).size).toBe(all.length);
    // Places without a code in ISO 3166-1.
    const others = ['AC', 'CP', 'CQ', 'DG', 'EA', 'IC', 'TA'];
    expect(all).toEqual(
      listCountries()
        .map(({ code }) => code)
        .filter((code) => !others.includes(code))
        .sort(),
    );
  });

  it('are as large as the geoscheme has them', () => {
    const size = (name: string): number => REGIONS.get(name)!.countries.length;
    expect(continents.map(({ name, countries }) => `${name} ${countries.length}`)).toEqual([
      'africa 60',
      'americas 57',
      'antarctica 1',
      'asia 51',
      'europe 52',
      'oceania 29',
    ]);
    expect(size('northern-europe')).toBe(16);
    expect(size('north-america') + size('south-america')).toBe(size('americas'));
    expect(REGIONS.get('south-eastern-asia')!.title).toBe('South-eastern Asia');
    expect(REGIONS.get('latin-america-and-the-caribbean')!.title).toBe('Latin America and the Caribbean');
  });

  it('distinguish countries from invalid codes', () => {
    expect(['NO', 'TW', 'XK', 'AX'].filter((code) => !isWritableCountry(code))).toEqual([]);
    expect(['UK', 'EU', 'EZ', 'UN', 'QQ', 'XA', 'ZZ', 'SU'].filter(isWritableCountry)).toEqual([]);
  });
});
