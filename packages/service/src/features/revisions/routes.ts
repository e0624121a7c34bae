import { DiffQuery, IdParams, ListQuery, PublishRevisionInput, RestoreInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import { seenVersion } from '../../http/version.js';
import type { Revisions } from './revisions.js';

export function revisionRoutes(revisions: Revisions): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/revisions',
      needs: 'viewer',
      query: ListQuery,
      handle: ({ query }) => revisions.list(query),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revision-diff',
      needs: 'viewer',
      query: DiffQuery,
      handle: ({ query }) => revisions.diff(query.from, query.to),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id',
      needs: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.show(params.id),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id/sources',
      needs: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.sources(params.id),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions',
      needs: 'editor',
      body: PublishRevisionInput,
      status: 201,
      handle: ({ body, actor, ifMatch }) => revisions.publish(body, seenVersion({ ifMatch }), actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions/:id/restore',
      needs: 'editor',
      params: IdParams,
      body: RestoreInput,
      status: 201,
      handle: ({ params, body, actor }) => revisions.restore(params.id, body.note, actor),
    }),
  ];
}
