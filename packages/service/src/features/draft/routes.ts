import { EditsInput, FenceSourcesInput } from '@jadefence/contract/server';
import { runExpectations, STARTING_POINTS, type Edit } from '@jadefence/core';
import { threadRoute, type Route } from '../../http/route.js';
import { expectedVersion, setETag } from '../../http/version.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Drafts } from './draft.js';

export function draftRoutes(drafts: Drafts, referenceSnapshots: ReferenceSnapshots): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/draft',
      access: 'viewer',
      handle: async (context) => setETag(context, await drafts.show()),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/files',
      access: 'viewer',
      handle: async (context) => setETag(context, await drafts.sources()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/files/preview',
      access: 'viewer',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.preview(body, body.isMerge),
    }),
    threadRoute('rules', {
      method: 'put',
      path: '/draft/files',
      access: 'editor',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        setETag(context, await drafts.import(body, body.isMerge, expectedVersion(context), actor)),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits',
      access: 'editor',
      body: EditsInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        setETag(context, await drafts.edit(body.edits as Edit[], expectedVersion(context), actor)),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits/preview',
      access: 'viewer',
      body: EditsInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.previewEdits(body.edits as Edit[]),
    }),
    threadRoute('rules', { method: 'get', path: '/draft/changes', access: 'viewer', handle: () => drafts.changes() }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/expectations',
      access: 'viewer',
      handle: async () =>
        runExpectations({
          rulebook: await drafts.rulebook(),
          ...(await referenceSnapshots.loadCurrent()).referenceData,
        }),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/starting-points',
      access: 'viewer',
      handle: async () => STARTING_POINTS,
    }),
  ];
}
