import { CountMatchesInput, GatePreviewInput, IdParams, SectionsQuery } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { GatePreviews } from './gate-preview.js';
import type { MatchCounts } from './rule-preview.js';
import type { Sections } from './site-sections.js';

export function matchRoutes(matches: MatchCounts, gates: GatePreviews, sections: Sections): Route[] {
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
    threadRoute('rules', {
      method: 'post',
      path: '/logs/:id/gate-preview',
      summary: 'Count what a gate would see of a log',
      answer: 'GatePreview',
      access: 'viewer',
      params: IdParams,
      body: GatePreviewInput,
      handle: ({ params, body, signal }) => gates.count(params.id, body, signal),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/logs/:id/sections',
      summary: 'List the hosts of a log and the sections of a site',
      answer: 'SiteSections',
      access: 'viewer',
      params: IdParams,
      query: SectionsQuery,
      handle: ({ params, query, signal }) => sections.of(params.id, query.host, signal),
    }),
  ];
}
