import {
  DiffQuery,
  EditsInput,
  IdParams,
  ListQuery,
  PlacementQuery,
  PublishInput,
  RestoreInput,
} from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import { expectedVersion } from '../../http/version.js';
import type { Edit } from '@jadefence/core/edit';
import type { Meanings } from './meanings.js';
import type { Revisions } from './revisions.js';

/** Which requests change their outcome, proved without a log. */
function meaningRoutes(meanings: Meanings): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/meaning',
      summary: 'Show which requests change between two revisions',
      answer: 'MeaningChanges',
      access: 'viewer',
      query: DiffQuery,
      handle: ({ query }) => meanings.between(query.from, query.to),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/revisions/:id/findings',
      summary: 'Review a revision',
      answer: 'Review',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => meanings.reviewOf(params.id),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/meaning',
      summary: 'Show which requests publishing would change',
      answer: 'MeaningChanges',
      access: 'viewer',
      handle: () => meanings.ofDraft(),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits/meaning',
      summary: 'Show which requests edits would change',
      answer: 'MeaningChanges',
      access: 'viewer',
      body: EditsInput,
      hasLargeBody: true,
      handle: ({ body }) => meanings.ofEdits(body.edits as Edit[]),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/placement',
      summary: 'Show where a rule would have to be',
      answer: 'RulePlacement',
      access: 'viewer',
      query: PlacementQuery,
      handle: ({ query }) => meanings.placementOf(query.fence, query.rule),
    }),
  ];
}

export function revisionRoutes(revisions: Revisions, meanings: Meanings): Route[] {
  return [
    ...meaningRoutes(meanings),
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
