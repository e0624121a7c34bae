import { DecisionsQuery, IdParams, ListQuery, RowParams, ReplayInput } from '@jadefence/contract/server';
import { sendEvents } from '../../http/events.js';
import { route, threadRoute, type Route } from '../../http/route.js';
import type { DecisionPages } from './decision-pages.js';
import type { Replays } from './replays.js';

export function replayRoutes(replays: Replays, pages: DecisionPages): Route[] {
  return [
    route({
      method: 'get',
      path: '/replays',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => replays.list(query),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/replays',
      access: 'editor',
      body: ReplayInput,
      hasLargeBody: true,
      status: 202,
      handle: ({ body, actor }) => replays.start(body, actor),
    }),
    route({
      method: 'get',
      path: '/replays/:id',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => replays.show(params.id),
    }),
    route({
      method: 'post',
      path: '/replays/:id/cancel',
      access: 'editor',
      params: IdParams,
      handle: ({ params, actor }) => replays.cancel(params.id, actor),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/result',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => replays.result(params.id),
    }),
    route({
      method: 'get',
      path: '/replays/:id/events',
      access: 'viewer',
      params: IdParams,
      handle: async ({ params, response }) => {
        await replays.find(params.id);
        await sendEvents(response, replays.progress(params.id));
      },
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/decisions',
      access: 'viewer',
      params: IdParams,
      query: DecisionsQuery,
      handle: async ({ params, query }) => pages.page(await replays.findDone(params.id), query),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/decisions/:row/explanation',
      access: 'viewer',
      params: RowParams,
      handle: async ({ params }) => pages.explain(await replays.findDone(params.id), params.row),
    }),
  ];
}
