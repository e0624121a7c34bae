import { isNamedCountry } from './country-codes.js';

/**
 * The regions of the United Nations' geoscheme (M49, "Standard country or area codes for statistical use") with the countries
 * of the smallest of them. Two codes that it has no place for are listed with their neighbours: TW and XK.
 */
const SMALLEST: Readonly<Record<string, string>> = {
  'northern-africa': 'DZ EG EH LY MA SD TN',
  'eastern-africa': 'BI DJ ER ET IO KE KM MG MU MW MZ RE RW SC SO SS TF TZ UG YT ZM ZW',
  'middle-africa': 'AO CD CF CG CM GA GQ ST TD',
  'southern-africa': 'BW LS NA SZ ZA',
  'western-africa': 'BF BJ CI CV GH GM GN GW LR ML MR NE NG SH SL SN TG',
  'caribbean': 'AG AI AW BB BL BQ BS CU CW DM DO GD GP HT JM KN KY LC MF MQ MS PR SX TC TT VC VG VI',
  'central-america': 'BZ CR GT HN MX NI PA SV',
  'south-america': 'AR BO BR BV CL CO EC FK GF GS GY PE PY SR UY VE',
  'northern-america': 'BM CA GL PM US',
  'central-asia': 'KG KZ TJ TM UZ',
  'eastern-asia': 'CN HK JP KP KR MN MO TW',
  'south-eastern-asia': 'BN ID KH LA MM MY PH SG TH TL VN',
  'southern-asia': 'AF BD BT IN IR LK MV NP PK',
  'western-asia': 'AE AM AZ BH CY GE IL IQ JO KW LB OM PS QA SA SY TR YE',
  'eastern-europe': 'BG BY CZ HU MD PL RO RU SK UA',
  'northern-europe': 'AX DK EE FI FO GB GG IE IM IS JE LT LV NO SE SJ',
  'southern-europe': 'AD AL BA ES GI GR HR IT ME MK MT PT RS SI SM VA XK',
  'western-europe': 'AT BE CH DE FR LI LU MC NL',
  'australia-and-new-zealand': 'AU CC CX HM NF NZ',
  'melanesia': 'FJ NC PG SB VU',
  'micronesia': 'FM GU KI MH MP NR PW UM',
  'polynesia': 'AS CK NU PF PN TK TO TV WF WS',
  'antarctica': 'AQ',
};

/** What is made of smaller regions. */
const GROUPED: Readonly<Record<string, readonly string[]>> = {
  'sub-saharan-africa': ['eastern-africa', 'middle-africa', 'southern-africa', 'western-africa'],
  'africa': ['northern-africa', 'eastern-africa', 'middle-africa', 'southern-africa', 'western-africa'],
  'latin-america-and-the-caribbean': ['caribbean', 'central-america', 'south-america'],
  'north-america': ['northern-america', 'caribbean', 'central-america'],
  'americas': ['northern-america', 'caribbean', 'central-america', 'south-america'],
  'asia': ['central-asia', 'eastern-asia', 'south-eastern-asia', 'southern-asia', 'western-asia'],
  'europe': ['eastern-europe', 'northern-europe', 'southern-europe', 'western-europe'],
  'oceania': ['australia-and-new-zealand', 'melanesia', 'micronesia', 'polynesia'],
};

/** A continent or a part of one. */
export interface Region {
  /** As it is written in rules: `south-america`. */
  readonly name: string;
  /** As people read it: `South America`. */
  readonly title: string;
  /** ISO 3166-1 codes, sorted. */
  readonly countries: readonly string[];
  readonly isContinent: boolean;
}

const CONTINENTS: ReadonlySet<string> = new Set(['africa', 'americas', 'antarctica', 'asia', 'europe', 'oceania']);

/** Every region by its name: continents first, each group sorted by name. */
export const REGIONS: ReadonlyMap<string, Region> = new Map(
  [
    ...Object.entries(SMALLEST).map(([name, codes]) => [name, codes.split(' ')] as const),
    ...Object.entries(GROUPED).map(
      ([name, parts]) => [name, parts.flatMap((part) => SMALLEST[part]!.split(' ')).sort()] as const,
    ),
  ]
    .map(([name, countries]) => ({ name, title: titleOf(name), countries, isContinent: CONTINENTS.has(name) }))
    .sort((a, b) => Number(b.isContinent) - Number(a.isContinent) || (a.name < b.name ? -1 : 1))
    .map((region) => [region.name, region] as const),
);

function titleOf(name: string): string {
  return name
    .split('-')
    .map((word) => (word === 'and' || word === 'the' ? word : word[0]!.toUpperCase() + word.slice(1)))
    .join(' ')
    .replace(
      /^(South|Sub) (Eastern|Saharan)/,
      (_, first: string, second: string) => `${first}-${second.toLowerCase()}`,
    );
}

const REGIONAL_CODES: ReadonlySet<string> = new Set([...REGIONS.values()].flatMap(({ countries }) => countries));

/** Whether a rule may name a code: those of ISO 3166-1, and the few others that have a name. */
export function isWritableCountry(code: string): boolean {
  return REGIONAL_CODES.has(code) || isNamedCountry(code);
}
