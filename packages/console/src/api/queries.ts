import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import type { Outcome } from '@jadefence/core';
import { service } from './client.js';

/** One owner of each noun's state: what is asked, under which key, and for how long it stays good. */
export const meQuery = queryOptions({ queryKey: ['me'], queryFn: service.me, retry: false });
export const draftQuery = queryOptions({ queryKey: ['draft'], queryFn: service.draft });
export const logsQuery = queryOptions({ queryKey: ['logs'], queryFn: service.logs });
export const replaysQuery = queryOptions({ queryKey: ['replays'], queryFn: service.replays });

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

export function decisionsQuery(id: number, page: { offset: number; limit: number; outcome?: Outcome; where?: string }) {
  return queryOptions({
    queryKey: ['replays', id, 'decisions', page],
    queryFn: () => service.decisions(id, page),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  });
}

export function explanationQuery(id: number, row: number) {
  return queryOptions({
    queryKey: ['replays', id, 'explanations', row],
    queryFn: () => service.explanation(id, row),
    staleTime: Infinity,
  });
}
