import { EditsInput, FenceSourcesInput } from '@jadefence/contract/server';
import { runExpectations, STARTING_POINTS, type Edit } from '@jadefence/core';
import { route, type Route } from '../../http/route.js';
import { seenVersion, tellVersion } from '../../http/version.js';
import type { Worlds } from '../reference/worlds.js';
import type { Drafts } from './draft.js';

export function draftRoutes(drafts: Drafts, worlds: Worlds): Route[] {
  return [
    route({
      method: 'get',
      path: '/draft',
      needs: 'viewer',
      handle: async ({ response }) => tellVersion(response, await drafts.show()),
    }),
    route({
      method: 'get',
      path: '/draft/sources',
      needs: 'viewer',
      handle: async ({ response }) => tellVersion(response, await drafts.sources()),
    }),
    route({
      method: 'post',
      path: '/draft/preview',
      needs: 'viewer',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.preview(body, body.isMerge),
    }),
    route({
      method: 'put',
      path: '/draft',
      needs: 'editor',
      body: FenceSourcesInput,
      hasLargeBody: true,
      handle: async ({ body, actor, request, response }) =>
        tellVersion(response, await drafts.import(body, body.isMerge, seenVersion(request), actor)),
    }),
    route({
      method: 'post',
      path: '/draft/edits',
      needs: 'editor',
      body: EditsInput,
      hasLargeBody: true,
      handle: async ({ body, actor, request, response }) =>
        tellVersion(response, await drafts.edit(body.edits as Edit[], seenVersion(request), actor)),
    }),
    route({
      method: 'post',
      path: '/draft/edits/preview',
      needs: 'viewer',
      body: EditsInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.previewEdits(body.edits as Edit[]),
    }),
    route({ method: 'get', path: '/draft/changes', needs: 'viewer', handle: () => drafts.changes() }),
    route({
      method: 'get',
      path: '/draft/expectations',
      needs: 'viewer',
      handle: async () => runExpectations({ rulebook: await drafts.rulebook(), ...(await worlds.loadCurrent()).world }),
    }),
    route({ method: 'get', path: '/starting-points', needs: 'viewer', handle: async () => STARTING_POINTS }),
  ];
}
