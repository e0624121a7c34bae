import {
  DecisionsQuery,
  DeleteQuery,
  IdParams,
  ListQuery,
  RenameReplayInput,
  RowParams,
  ReplayInput,
} from '@jadefence/contract/server';
import { sendEvents } from '../../http/events.js';
import { route, threadRoute, type Route } from '../../http/route.js';
import type { Masking } from '../masking/masking.js';
import type { DecisionPages } from './decision-pages.js';
import type { ProtectedStops } from './protected-stops.js';
import type { Replays } from './replays.js';

export function replayRoutes(
  replays: Replays,
  pages: DecisionPages,
  protectedStops: ProtectedStops,
  masking: Masking,
): Route[] {
  return [
    route({
      method: 'get',
      path: '/replays',
      summary: 'List replays, latest first',
      answer: 'Replay[]',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => replays.list(query),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/replays',
      summary: 'Start a replay',
      answer: 'Replay',
      access: 'editor',
      body: ReplayInput,
      hasLargeBody: true,
      status: 202,
      handle: ({ body, actor }) => replays.start(body, actor),
    }),
    route({
      method: 'get',
      path: '/replays/:id',
      summary: 'Show a replay',
      answer: 'Replay',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => replays.show(params.id),
    }),
    route({
      method: 'post',
      path: '/replays/:id/cancel',
      summary: 'Cancel a replay',
      answer: 'Replay',
      access: 'editor',
      params: IdParams,
      handle: ({ params, actor }) => replays.cancel(params.id, actor),
    }),
    route({
      method: 'patch',
      path: '/replays/:id',
      summary: 'Name a replay',
      answer: 'Replay',
      access: 'editor',
      params: IdParams,
      body: RenameReplayInput,
      handle: ({ params, body, actor }) => replays.rename(params.id, body.name, actor),
    }),
    route({
      method: 'delete',
      path: '/replays/:id',
      summary: 'Delete a replay',
      access: 'editor',
      params: IdParams,
      query: DeleteQuery,
      handle: ({ params, query, actor }) => replays.delete(params.id, query.force, actor),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/protected',
      summary: 'List the requests of protected clients that a replay stops',
      answer: 'ProtectedStop[]',
      access: 'viewer',
      params: IdParams,
      handle: async ({ params }) => protectedStops.of(await replays.findDone(params.id)),
    }),
    ...resultRoutes(replays, pages, masking),
  ];
}

function resultRoutes(replays: Replays, pages: DecisionPages, masking: Masking): Route[] {
  return [
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/result',
      summary: 'Show the result of a replay',
      answer: 'ReplayResult',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => replays.result(params.id),
    }),
    route({
      method: 'get',
      path: '/replays/:id/events',
      summary: 'Follow a replay (server-sent events)',
      answer: 'ReplayProgress~',
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
      summary: 'Read a page of decisions',
      answer: 'DecisionPage',
      access: 'viewer',
      params: IdParams,
      query: DecisionsQuery,
      handle: async ({ params, query, actor }) =>
        pages.page(await replays.findDone(params.id), query, await masking.maskerFor(actor)),
    }),
    threadRoute('pages', {
      method: 'get',
      path: '/replays/:id/decisions/:row/explanation',
      summary: 'Explain a decision',
      answer: 'Explanation',
      access: 'viewer',
      params: RowParams,
      handle: async ({ params, actor }) =>
        pages.explain(await replays.findDone(params.id), params.row, await masking.maskerFor(actor)),
    }),
  ];
}
