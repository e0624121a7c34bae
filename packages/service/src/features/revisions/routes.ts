import { DiffQuery, IdParams, ListQuery, PublishInput, RestoreInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import { expectedVersion } from '../../http/version.js';
import type { Revisions } from './revisions.js';

export function revisionRoutes(revisions: Revisions): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/revisions',
      summary: 'List revisions, latest first',
      answer: 'Revision[]',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => revisions.list(query),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/diff',
      summary: 'Compare two revisions, or one with the draft',
      answer: 'RevisionDiff',
      access: 'viewer',
      query: DiffQuery,
      handle: ({ query }) => revisions.diff(query.from, query.to),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id',
      summary: 'Show a revision',
      answer: 'Revision',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.show(params.id),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id/files',
      summary: 'Read a revision as text',
      answer: 'DraftSources',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => revisions.sources(params.id),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions',
      summary: 'Publish the draft',
      answer: 'Revision',
      access: 'editor',
      body: PublishInput,
      status: 201,
      handle: ({ body, actor, ifMatch }) => revisions.publish(body, expectedVersion({ ifMatch }), actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/revisions/:id/restore',
      summary: 'Publish an earlier revision again',
      answer: 'Revision',
      access: 'editor',
      params: IdParams,
      body: RestoreInput,
      status: 201,
      handle: ({ params, body, actor }) => revisions.restore(params.id, body.note, actor),
    }),
  ];
}
