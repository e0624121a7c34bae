import { DiffQuery, IdParams, ListQuery, PublishInput, RestoreInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import { expectedVersion } from '../../http/version.js';
import type { Revisions } from './revisions.js';

export function revisionRoutes(revisions: Revisions): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/revisions',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => revisions.list(query),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/diff',
      access: 'viewer',
      query: DiffQuery,
      handle: ({ query }) => revisions.diff(query.from, query.to),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.show(params.id),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id/files',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.sources(params.id),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions',
      access: 'editor',
      body: PublishInput,
      status: 201,
      handle: ({ body, actor, ifMatch }) => revisions.publish(body, expectedVersion({ ifMatch }), actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions/:id/restore',
      access: 'editor',
      params: IdParams,
      body: RestoreInput,
      status: 201,
      handle: ({ params, body, actor }) => revisions.restore(params.id, body.note, actor),
    }),
  ];
}
