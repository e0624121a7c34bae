import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import type { ChangeRow, DecisionRow, ReplayPolicy } from '@jadefence/contract';
import type { Outcome } from '@jadefence/core/language';
import { service } from './client.js';

/** One owner of each noun's state: the query, its key, and how long it stays fresh. */
export const meQuery = queryOptions({ queryKey: ['me'], queryFn: service.me, retry: false });
export const draftQuery = queryOptions({ queryKey: ['draft'], queryFn: service.draft });
export const draftSourcesQuery = queryOptions({ queryKey: ['draft', 'sources'], queryFn: service.draftSources });
export const draftStepsQuery = queryOptions({ queryKey: ['draft', 'steps'], queryFn: service.draftSteps });
export const findingsQuery = queryOptions({ queryKey: ['draft', 'findings'], queryFn: service.findings, retry: false });
export const draftMeaningQuery = queryOptions({
  queryKey: ['draft', 'meaning'],
  queryFn: service.draftMeaning,
  retry: false,
});
export const stoppedClientsQuery = queryOptions({ queryKey: ['stopped-clients'], queryFn: service.stoppedClients });
export const draftChangesQuery = queryOptions({ queryKey: ['draft', 'changes'], queryFn: service.draftChanges });
export const expectationsQuery = queryOptions({
  queryKey: ['draft', 'expectations'],
  queryFn: service.expectations,
  retry: false,
});
export function listQuery(name: string) {
  return queryOptions({ queryKey: ['draft', 'lists', name], queryFn: () => service.list(name) });
}

/** The lists that hold a value, or leave it out. */
export function lookupQuery(value: string) {
  return queryOptions({
    queryKey: ['draft', 'lists', 'search', value],
    queryFn: () => service.lookupInLists(value),
    enabled: value !== '',
    retry: false,
  });
}

export function entryOriginsQuery(name: string) {
  return queryOptions({ queryKey: ['draft', 'origins', name], queryFn: () => service.entryOrigins(name) });
}

export const startingPointsQuery = queryOptions({
  queryKey: ['starting-points'],
  queryFn: service.startingPoints,
  staleTime: Infinity,
});
/** Lists have the newest first; the first part is what choices are made from. */
export const LIST_ROWS = 100;
const listPage = (offset: number) => ({ offset, limit: LIST_ROWS });

export function revisionsQuery(offset = 0) {
  return queryOptions({
    queryKey: ['revisions', 'list', offset],
    queryFn: () => service.revisions(listPage(offset)),
    placeholderData: keepPreviousData,
  });
}

export function diffQuery(from: ReplayPolicy, to: ReplayPolicy) {
  return queryOptions({ queryKey: ['revisions', 'diff', from, to], queryFn: () => service.diffRevisions(from, to) });
}

export function meaningQuery(from: ReplayPolicy, to: ReplayPolicy) {
  return queryOptions({
    queryKey: [...(from === 'draft' || to === 'draft' ? ['draft'] : []), 'revisions', 'meaning', from, to],
    queryFn: () => service.meaningBetween(from, to),
    retry: false,
  });
}

export function auditQuery(offset: number, limit: number) {
  return queryOptions({ queryKey: ['audit', offset, limit], queryFn: () => service.audit({ offset, limit }) });
}

/** How many requests of a log a rule is true of; the answer holds as long as the draft does. */
export function matchesQuery(logId: number, text: string, fence: string, version: number) {
  return queryOptions({
    queryKey: ['draft', 'matches', logId, text, fence, version],
    queryFn: ({ signal }) => service.countMatches(logId, { text, fence }, signal),
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

/** Reference data: what is imported changes, so these are requested again when something was. */
export const datasetsQuery = queryOptions({ queryKey: ['reference', 'datasets'], queryFn: () => service.datasets() });
export const sourcesQuery = queryOptions({ queryKey: ['reference', 'sources'], queryFn: service.sources });
export const categoriesQuery = queryOptions({ queryKey: ['reference', 'categories'], queryFn: service.categories });
export const applicationsQuery = queryOptions({ queryKey: ['draft', 'applications'], queryFn: service.applications });
export const tokensQuery = queryOptions({ queryKey: ['tokens'], queryFn: service.tokens });
export const maskingQuery = queryOptions({ queryKey: ['masking'], queryFn: service.masking });
/** @param site only sections of this host and those below it */
export function sectionsQuery(logId: number, site: string | undefined) {
  return queryOptions({
    queryKey: ['logs', logId, 'sections', site],
    queryFn: ({ signal }) => service.sections(logId, site, signal),
    staleTime: Infinity,
    retry: false,
  });
}

export const passphrasesQuery = queryOptions({ queryKey: ['draft', 'passphrases'], queryFn: service.passphrases });

/** @param logId counts the requests of this log by country, too */
export function countriesQuery(logId: number | undefined) {
  return queryOptions({
    queryKey: ['reference', 'countries', logId],
    queryFn: () => service.countries(logId),
    placeholderData: keepPreviousData,
  });
}

export function correctionsQuery(kind: 'country' | 'category') {
  return queryOptions({ queryKey: ['reference', 'corrections', kind], queryFn: () => service.corrections(kind) });
}

export function logsQuery(offset = 0) {
  return queryOptions({
    queryKey: ['logs', 'list', offset],
    queryFn: () => service.logs(listPage(offset)),
    placeholderData: keepPreviousData,
  });
}

export function replaysQuery(offset = 0) {
  return queryOptions({
    queryKey: ['replays', 'list', offset],
    queryFn: () => service.replays(listPage(offset)),
    placeholderData: keepPreviousData,
  });
}

export function logQuery(id: number) {
  return queryOptions({ queryKey: ['logs', id], queryFn: () => service.log(id), staleTime: Infinity });
}

export function surveyQuery(id: number) {
  return queryOptions({
    queryKey: ['logs', id, 'survey'],
    queryFn: () => service.survey(id),
    staleTime: Infinity,
    retry: false,
  });
}

export function replayQuery(id: number) {
  return queryOptions({ queryKey: ['replays', id], queryFn: () => service.replay(id) });
}

/** The result of a replay that is done never changes. */
export function replayResultQuery(id: number) {
  return queryOptions({
    queryKey: ['replays', id, 'result'],
    queryFn: () => service.replayResult(id),
    staleTime: Infinity,
  });
}

/** Rows that are requested a page at a time never change. */
export interface PageQuery<R> {
  readonly queryKey: readonly unknown[];
  readonly queryFn: () => Promise<{ readonly total: number; readonly rows: readonly R[] }>;
  readonly staleTime: number;
}

export function decisionsQuery(
  id: number,
  page: { offset: number; limit: number; outcome?: Outcome; where?: string },
): PageQuery<DecisionRow> {
  return {
    queryKey: ['replays', id, 'decisions', page],
    queryFn: () => service.decisions(id, page),
    staleTime: Infinity,
  };
}

export function explanationQuery(id: number, row: number) {
  return queryOptions({
    queryKey: ['replays', id, 'explanations', row],
    queryFn: () => service.explanation(id, row),
    staleTime: Infinity,
  });
}

export function comparisonsQuery(offset = 0) {
  return queryOptions({
    queryKey: ['comparisons', 'list', offset],
    queryFn: () => service.comparisons(listPage(offset)),
    placeholderData: keepPreviousData,
  });
}

export function comparisonQuery(id: number) {
  return queryOptions({ queryKey: ['comparisons', id], queryFn: () => service.comparison(id) });
}

/** The result of a comparison that is done never changes. */
export function comparisonResultQuery(id: number) {
  return queryOptions({
    queryKey: ['comparisons', id, 'result'],
    queryFn: () => service.comparisonResult(id),
    staleTime: Infinity,
  });
}

export function changesQuery(
  id: number,
  page: { offset: number; limit: number; group: number | undefined },
): PageQuery<ChangeRow> {
  return {
    queryKey: ['comparisons', id, 'changes', page],
    queryFn: () => service.changes(id, page),
    staleTime: Infinity,
  };
}
