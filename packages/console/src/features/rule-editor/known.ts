import { useQuery } from '@tanstack/react-query';
import type { Countries, Draft, SiteSections } from '@jadefence/contract';
import { BUILT_IN_APPLICATIONS } from '@jadefence/core/check';
import { parseRuleText, type FieldInfo } from '@jadefence/core/edit';
import { visitComparisons, type Condition, type ListKind } from '@jadefence/core/language';
import { formatAddressCount, listCountries, REGIONS } from '@jadefence/core/reference';
import { PROTOCOLS } from '@jadefence/core/request';
import { useMemo } from 'react';
import {
  categoriesQuery,
  countriesQuery,
  draftQuery,
  draftSourcesQuery,
  passphrasesQuery,
  sectionsQuery,
} from '../../api/queries.js';
import type { PickGroup, PickOption } from '../../components/multi-pick.js';
import { countOf, formatShare } from '../../format.js';

/** What a rule can name: everything that the draft holds, and the countries with their addresses and their share of a log. */
export interface KnownNames {
  readonly lists: readonly { readonly name: string; readonly kind: ListKind }[];
  readonly gates: readonly string[];
  readonly schedules: readonly string[];
  readonly pages: readonly string[];
  readonly passphrases: readonly string[];
  /** Those that rules of the draft set. */
  readonly tags: readonly string[];
  readonly applications: readonly string[];
  readonly categories: readonly string[];
  /** The only fields that can be tested, where not all can. */
  readonly fields?: readonly string[];
  /** Undefined where there is no table, or it is on its way. */
  readonly countries: Countries | undefined;
  /** Of the chosen log; of the site that the rule names, its sections. */
  readonly hosts: readonly Counted[];
  readonly sections: readonly Counted[];
}

type Counted = SiteSections['hosts'][number];

/** @param site the host that the rule is about, where it names one */
export function useKnown(logId: number | undefined, site?: string): KnownNames {
  const ofLog = useQuery({ ...sectionsQuery(logId ?? 0, site), enabled: logId !== undefined }).data;
  const draft = useQuery(draftQuery).data;
  const parts = useQuery(draftSourcesQuery).data?.parts ?? [];
  const countries = useQuery(countriesQuery(logId)).data;
  const passphrases = useQuery(passphrasesQuery).data ?? [];
  const tags = useMemo(() => tagsOf(draft), [draft]);
  const categories = useQuery(categoriesQuery).data?.categories ?? [];
  const named = (kind: string): string[] => parts.filter((part) => part.kind === kind).map(({ name }) => name);
  return {
    lists: draft?.lists ?? [],
    gates: draft?.gates.map(({ name }) => name) ?? [],
    schedules: named('schedule'),
    pages: named('page'),
    passphrases: passphrases.map(({ name }) => name),
    tags,
    applications: [...named('application'), ...BUILT_IN_APPLICATIONS.map(({ name }) => name), 'unrecognised'],
    categories: categories.map(({ name }) => name),
    countries: countries?.table ? countries : undefined,
    hosts: ofLog?.hosts ?? [],
    sections: ofLog?.sections ?? [],
  };
}

function tagsOf(draft: Draft | undefined): readonly string[] {
  const texts = draft?.fences.flatMap(({ rules }) => rules.map(({ text }) => text)) ?? [];
  const actions = texts.filter((text) => text.includes('tag ')).map((text) => parseRuleText(text).rule?.action);
  return [...new Set(actions.flatMap((action) => (action?.kind === 'tag' ? action.tags : [])))].sort();
}

const COUNTRIES = listCountries();
/** What people also call some countries. */
const ALIASES: Readonly<Record<string, string>> = {
  CD: 'Democratic Republic of the Congo',
  CI: 'Ivory Coast',
  CZ: 'Czech Republic',
  GB: 'UK, Great Britain, England, Scotland, Wales, Northern Ireland',
  GR: 'Hellas, EL',
  IR: 'Persia',
  KP: "North Korea, DPRK, Democratic People's Republic of Korea",
  KR: 'South Korea, Republic of Korea',
  LA: "Lao People's Democratic Republic",
  MD: 'Republic of Moldova',
  MK: 'Macedonia',
  MM: 'Burma',
  NL: 'Holland, The Netherlands',
  RU: 'Russian Federation',
  SZ: 'Swaziland',
  TL: 'East Timor',
  TR: 'Turkey, Turkiye',
  TW: 'Republic of China',
  US: 'USA, United States of America',
  VA: 'Holy See',
};
const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'CONNECT', 'TRACE'];

/** What can be picked as a value of a field: lists first, then literals that are known. */
export function optionsFor({ field, listKind, words }: FieldInfo, operator: string, known: KnownNames): PickOption[] {
  const takesLists = operator === 'in' || operator === 'not in';
  const lists = known.lists
    .filter(({ kind }) => takesLists && kind === listKind)
    .map(({ name }): PickOption => ({ value: name, note: 'list' }));
  if (!takesLists || listKind !== 'countries') return [...lists, ...literalsFor(field, operator, words, known)];
  // The parts of continents are found by their names, below the countries.
  return [...lists, ...regionOptions(known, true), ...countryOptions(known), ...regionOptions(known, false)];
}

/** Continents, or their parts, each with its countries; a list of the same name takes its place. */
function regionOptions({ lists }: KnownNames, ofContinents: boolean): PickOption[] {
  return [...REGIONS.values()]
    .filter(({ name, isContinent }) => isContinent === ofContinents && !lists.some((list) => list.name === name))
    .map(({ name, title, countries }) => ({
      value: name,
      text: title,
      note: `${countries.length} ${countries.length === 1 ? 'country' : 'countries'}`,
      detail: countries.join(' '),
    }));
}

function literalsFor(
  field: string,
  operator: string,
  words: readonly string[] | undefined,
  known: KnownNames,
): PickOption[] {
  const plain = (values: readonly string[]): PickOption[] => values.map((value) => ({ value }));
  if (field === 'country' || field === 'server country') return countryOptions(known);
  if (field === 'host') return counted(known.hosts);
  if (field === 'path') return counted(known.sections);
  if (field === 'method') return plain(METHODS);
  if (field === 'scheme') return plain(['https', 'http', 'wss', 'ws']);
  if (field === 'gate') return plain(known.gates);
  if (field === 'application') return plain(known.applications);
  if (field === 'category') return plain([...known.categories, 'uncategorised']);
  if (field === 'payload' && operator === 'is') return plain(PROTOCOLS);
  return plain(words ?? []);
}

/** With how many requests of the log each has. */
function counted(values: readonly Counted[]): PickOption[] {
  return values.map(({ value, requests }) => ({ value, note: countOf(requests, 'request') }));
}

/** The host that a condition is about; undefined where it names none, or several. */
export function siteOf(condition: Condition | undefined): string | undefined {
  const hosts: string[] = [];
  if (condition)
    visitComparisons(condition, ({ field, isNegated, values }) => {
      if ((field === 'host' || field === 'site') && !isNegated)
        for (const value of values) if (value.kind === 'domain') hosts.push(value.entry.name);
    });
  return hosts.length === 1 ? hosts[0] : undefined;
}

/** The countries of a continent are picked together. */
export function groupsFor({ field }: FieldInfo): PickGroup[] {
  if (field !== 'country' && field !== 'server country') return [];
  return [...REGIONS.values()]
    .filter(({ isContinent }) => isContinent)
    .map(({ title, countries }) => ({ text: title, values: countries }));
}

/** Those that the log has come first, each with its addresses and its share of the log; a warning where the table has none. */
function countryOptions({ countries }: KnownNames): PickOption[] {
  const held = new Map(countries?.countries.map((country) => [country.country, country]));
  const total = countries?.requests ?? 0;
  const requestsOf = (code: string): number => held.get(code)?.requests ?? countries?.elsewhere?.[code] ?? 0;
  const noteOf = (code: string): Partial<PickOption> => {
    if (!countries) return {};
    const item = held.get(code);
    const share = total > 0 ? formatShare(requestsOf(code) / total) : '';
    if (code.length > 2) return { note: share };
    if (!item || item.numRanges === 0) return { note: 'no ranges in the table', isWarning: true };
    const addresses =
      item.addresses4 === '0' ? `${formatAddressCount(item.addresses6)} IPv6` : formatAddressCount(item.addresses4);
    return { note: [`${addresses} addresses`, share].filter(Boolean).join(' · ') };
  };
  return [
    ...COUNTRIES.map(({ code, name }) => ({ value: code, text: name, aliases: ALIASES[code], ...noteOf(code) })),
    { value: 'no-country', text: 'In no country', ...noteOf('no-country') },
    { value: 'internal', text: 'Private and local addresses', ...noteOf('internal') },
  ].sort((a, b) => requestsOf(b.value) - requestsOf(a.value));
}
