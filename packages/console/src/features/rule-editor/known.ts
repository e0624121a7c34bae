import { useQuery } from '@tanstack/react-query';
import { listCountries, type FieldInfo, type ListKind } from '@jadefence/core';
import { draftQuery, draftSourcesQuery, surveyQuery } from '../../api/queries.js';
import type { PickOption } from '../../components/multi-pick.js';

/** What a rule can name: everything that the draft holds, and the countries with their share of a log. */
export interface Known {
  readonly lists: readonly { readonly name: string; readonly kind: ListKind }[];
  readonly gates: readonly string[];
  readonly schedules: readonly string[];
  readonly pages: readonly string[];
  readonly applications: readonly string[];
  readonly countryShares: ReadonlyMap<string, number>;
}

const BUILT_IN_APPLICATIONS = ['dns', 'tls', 'http', 'http2', 'ssh', 'icmp-echo', 'unrecognised'];

export function useKnown(logId: number | undefined): Known {
  const draft = useQuery(draftQuery).data;
  const parts = useQuery(draftSourcesQuery).data?.parts ?? [];
  const survey = useQuery({ ...surveyQuery(logId ?? 0), enabled: logId !== undefined }).data;
  const named = (kind: string): string[] => parts.filter((part) => part.kind === kind).map(({ name }) => name);
  return {
    lists: draft?.lists ?? [],
    gates: draft?.gates.map(({ name }) => name) ?? [],
    schedules: named('schedule'),
    pages: named('page'),
    applications: [...named('application'), ...BUILT_IN_APPLICATIONS],
    countryShares: new Map(survey?.countries?.map(({ country, requests }) => [country, requests / survey.requests])),
  };
}

const COUNTRIES = listCountries();
const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'CONNECT', 'TRACE'];
const PROTOCOLS = ['dns', 'tls', 'http', 'http2', 'ssh'];

/** What can be picked as a value of a field: lists first, then literals that are known. */
export function optionsFor({ field, listKind, words }: FieldInfo, operator: string, known: Known): PickOption[] {
  const takesLists = operator === 'in' || operator === 'not in';
  const lists = known.lists
    .filter(({ kind }) => takesLists && kind === listKind)
    .map(({ name }): PickOption => ({ value: name, note: 'list' }));
  return [...lists, ...literalsFor(field, operator, words, known)];
}

function literalsFor(
  field: string,
  operator: string,
  words: readonly string[] | undefined,
  known: Known,
): PickOption[] {
  const plain = (values: readonly string[]): PickOption[] => values.map((value) => ({ value }));
  if (field === 'country' || field === 'server country') return countryOptions(known);
  if (field === 'method') return plain(METHODS);
  if (field === 'scheme') return plain(['https', 'http', 'wss', 'ws']);
  if (field === 'gate') return plain(known.gates);
  if (field === 'application') return plain(known.applications);
  if (field === 'payload' && operator === 'is') return plain(PROTOCOLS);
  return plain(words ?? []);
}

/** Those that the log has come first, with their share. */
function countryOptions({ countryShares }: Known): PickOption[] {
  const shareOf = (code: string): number => countryShares.get(code) ?? 0;
  const named = [
    ...COUNTRIES.map(({ code, name }) => ({ value: code, text: name })),
    { value: 'no-country', text: 'In no country' },
    { value: 'internal', text: 'Private and local addresses' },
  ];
  return named
    .map((option) => ({
      ...option,
      ...(countryShares.size > 0 ? { note: formatShare(shareOf(option.value)) } : {}),
    }))
    .sort((a, b) => shareOf(b.value) - shareOf(a.value));
}

function formatShare(share: number): string {
  if (share === 0) return 'none';
  return share < 0.001 ? '<0.1%' : `${(share * 100).toFixed(1)}%`;
}
