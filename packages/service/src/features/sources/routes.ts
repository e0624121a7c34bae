import { RefreshInput, SourceInput, SourceParams } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { Sources } from './sources.js';

export function sourceRoutes(sources: Sources): Route[] {
  return [
    route({
      method: 'get',
      path: '/sources',
      summary: 'List the sources of datasets',
      answer: 'SourceInfo[]',
      access: 'viewer',
      handle: () => sources.list(),
    }),
    route({
      method: 'put',
      path: '/sources/:kind/:name',
      summary: 'Set a source',
      answer: 'SourceInfo',
      access: 'administrator',
      params: SourceParams,
      body: SourceInput,
      handle: ({ params, body, actor }) => sources.put({ ...keyOf(params), ...body }, actor),
    }),
    route({
      method: 'delete',
      path: '/sources/:kind/:name',
      summary: 'Delete a source',
      access: 'administrator',
      params: SourceParams,
      handle: ({ params, actor }) => sources.remove(params.kind, keyOf(params).name, actor),
    }),
    route({
      method: 'post',
      path: '/sources/:kind/:name/refresh',
      summary: 'Refresh a dataset from its source',
      answer: 'Refreshed',
      access: 'editor',
      params: SourceParams,
      body: RefreshInput,
      handle: async ({ params, body, actor }) => ({
        dataset: (await sources.refresh(params.kind, keyOf(params).name, body.isConfirmed, actor)) ?? null,
      }),
    }),
  ];
}

/** The country table has no name. */
function keyOf({ kind, name }: SourceParams): SourceParams {
  return { kind, name: kind === 'country' ? '' : name };
}
