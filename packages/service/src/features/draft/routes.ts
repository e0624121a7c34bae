import { FenceSourcesInput } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { Drafts } from './draft.js';

export function draftRoutes(drafts: Drafts): Route[] {
  return [
    route({ method: 'get', path: '/draft', needs: 'viewer', handle: () => drafts.show() }),
    route({ method: 'put', path: '/draft', needs: 'editor', body: FenceSourcesInput, handle: ({ body, actor }) => drafts.import(body, actor) }),
  ];
}
