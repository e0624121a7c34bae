import { ChangesQuery, IdParams, ListQuery, ComparisonInput } from '@jadefence/contract/server';
import { sendEvents } from '../../http/events.js';
import { route, threadRoute, type Route } from '../../http/route.js';
import type { Comparisons } from './comparisons.js';

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
