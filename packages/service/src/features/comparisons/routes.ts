import {
  ChangesQuery,
  ComparisonInput,
  IdParams,
  ListQuery,
  RecordedInput,
  RecordedRequestsInput,
} from '@jadefence/contract/server';
import { sendEvents } from '../../http/events.js';
import { route, threadRoute, type Route } from '../../http/route.js';
import type { Comparisons } from './comparisons.js';
import type { RecordedComparisons } from './recorded.js';

export function comparisonRoutes(comparisons: Comparisons): Route[] {
  return [
    route({
      method: 'get',
      path: '/comparisons',
      summary: 'List comparisons, latest first',
      answer: 'ComparisonInfo[]',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => comparisons.list(query),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/comparisons',
      summary: 'Start a comparison',
      answer: 'ComparisonInfo',
      access: 'editor',
      body: ComparisonInput,
      status: 202,
      handle: ({ body, actor }) => comparisons.start(body, actor),
    }),
    route({
      method: 'get',
      path: '/comparisons/:id',
      summary: 'Show a comparison',
      answer: 'ComparisonInfo',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => comparisons.show(params.id),
    }),
    route({
      method: 'get',
      path: '/comparisons/:id/events',
      summary: 'Follow a comparison (server-sent events)',
      answer: 'ComparisonProgress~',
      access: 'viewer',
      params: IdParams,
      handle: async ({ params, response }) => {
        await comparisons.show(params.id);
        await sendEvents(response, comparisons.progress(params.id));
      },
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/comparisons/:id/result',
      summary: 'Show the result of a comparison',
      answer: 'ComparisonResult',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => comparisons.result(params.id),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/comparisons/:id/changes',
      summary: 'Read a page of changed requests',
      answer: 'ChangePage',
      access: 'viewer',
      params: IdParams,
      query: ChangesQuery,
      handle: ({ params, query }) => comparisons.changes(params.id, query),
    }),
  ];
}

export function recordedRoutes(recorded: RecordedComparisons): Route[] {
  return [
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/recorded',
      summary: 'Compare a replay with what its log recorded',
      answer: 'RecordedComparisonResult',
      access: 'viewer',
      params: IdParams,
      query: RecordedInput,
      handle: ({ params, query }) => recorded.result(params.id, query.stops),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/recorded/requests',
      summary: 'Read a page of requests that were recorded otherwise',
      answer: 'RecordedPage',
      access: 'viewer',
      params: IdParams,
      query: RecordedRequestsInput,
      handle: ({ params, query }) => recorded.requests(params.id, query),
    }),
  ];
}
