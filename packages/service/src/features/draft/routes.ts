import { FenceSourcesInput } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { Drafts } from './draft.js';

export function draftRoutes(drafts: Drafts): Route[] {
  return [
    route({ method: 'get', path: '/draft', needs: 'viewer', handle: () => drafts.show() }),
    route({ method: 'get', path: '/draft/sources', needs: 'viewer', handle: () => drafts.sources() }),
    route({
      method: 'post',
      path: '/draft/preview',
      needs: 'viewer',
      body: FenceSourcesInput,
      handle: ({ body }) => drafts.preview(body, body.isMerge),
    }),
    route({
      method: 'put',
      path: '/draft',
      needs: 'editor',
      body: FenceSourcesInput,
      handle: ({ body, actor }) => drafts.import(body, body.isMerge, actor),
    }),
  ];
}
