import { EditsInput, FenceSourcesInput } from '@jadefence/contract/server';
import { runExpectations, STARTING_POINTS, type Edit } from '@jadefence/core';
import { threadRoute, type Route } from '../../http/route.js';
import { seenVersion, tellVersion } from '../../http/version.js';
import type { Worlds } from '../reference/worlds.js';
import type { Drafts } from './draft.js';

export function draftRoutes(drafts: Drafts, worlds: Worlds): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/draft',
      needs: 'viewer',
      handle: async (context) => tellVersion(context, await drafts.show()),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/sources',
      needs: 'viewer',
      handle: async (context) => tellVersion(context, await drafts.sources()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/preview',
      needs: 'viewer',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.preview(body, body.isMerge),
    }),
    threadRoute('rules', {
      method: 'put',
      path: '/draft',
      needs: 'editor',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        tellVersion(context, await drafts.import(body, body.isMerge, seenVersion(context), actor)),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits',
      needs: 'editor',
      body: EditsInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        tellVersion(context, await drafts.edit(body.edits as Edit[], seenVersion(context), actor)),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits/preview',
      needs: 'viewer',
      body: EditsInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.previewEdits(body.edits as Edit[]),
    }),
    threadRoute('rules', { method: 'get', path: '/draft/changes', needs: 'viewer', handle: () => drafts.changes() }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/expectations',
      needs: 'viewer',
      handle: async () => runExpectations({ rulebook: await drafts.rulebook(), ...(await worlds.loadCurrent()).world }),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/starting-points',
      needs: 'viewer',
      handle: async () => STARTING_POINTS,
    }),
  ];
}
