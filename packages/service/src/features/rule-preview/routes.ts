import { CountMatchesInput, IdParams } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { MatchCounts } from './rule-preview.js';

export function matchRoutes(matches: MatchCounts): Route[] {
  return [
    threadRoute('rules', {
      method: 'post',
      path: '/logs/:id/matches',
      summary: 'Count the requests of a log that match a rule',
      answer: 'MatchCount',
      access: 'viewer',
      params: IdParams,
      body: CountMatchesInput,
      handle: ({ params, body, signal }) => matches.count(params.id, body, signal),
    }),
  ];
}
