import {
  CorrectionInput,
  CorrectionParams,
  DatasetsQuery,
  FeedOrderInput,
  IdParams,
  ImportDatasetQuery,
  LookupQuery,
  NameQuery,
  RefreshInput,
  RemoveCorrectionInput,
  SourceInput,
  SourceKeyInput,
  UseDatasetInput,
} from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import { readUpload } from '../../http/upload.js';
import type { CategoryFeeds } from './categories.js';
import type { Corrections } from './corrections.js';
import type { Datasets } from './datasets.js';
import type { ReferenceImports } from './imports.js';
import type { Removals } from './removals.js';
import type { Sources } from './sources.js';

/** Everything that reference data is served by. */
export interface ReferenceServices {
  readonly datasets: Datasets;
  readonly imports: ReferenceImports;
  readonly removals: Removals;
  readonly sources: Sources;
  readonly corrections: Corrections;
  readonly categoryFeeds: CategoryFeeds;
}

export function referenceRoutes(reference: ReferenceServices, maxUploadBytes: number): Route[] {
  return [
    ...datasetRoutes(reference, maxUploadBytes),
    ...sourceRoutes(reference),
    ...correctionRoutes(reference),
    ...categoryRoutes(reference),
  ];
}

function datasetRoutes({ datasets, imports, removals }: ReferenceServices, maxUploadBytes: number): Route[] {
  return [
    route({
      method: 'get',
      path: '/datasets',
      access: 'viewer',
      query: DatasetsQuery,
      handle: ({ query }) => datasets.list(query),
    }),
    route({
      method: 'post',
      path: '/datasets',
      access: 'editor',
      query: ImportDatasetQuery,
      takesUpload: true,
      handle: ({ query, actor, request, signal }) => {
        const { yes, replay, ...input } = query;
        return imports.import(
          { ...input, isConfirmed: yes === 'true', isReplayed: replay !== 'no' },
          readUpload(request, maxUploadBytes),
          actor,
          signal,
        );
      },
    }),
    route({
      method: 'get',
      path: '/datasets/:id',
      access: 'viewer',
      params: IdParams,
      handle: async ({ params }) => datasets.present(await datasets.find(params.id)),
    }),
    route({
      method: 'post',
      path: '/datasets/:id/use',
      access: 'editor',
      params: IdParams,
      body: UseDatasetInput,
      handle: ({ params, body, actor }) => imports.use(params.id, body.isConfirmed, actor),
    }),
    route({
      method: 'delete',
      path: '/datasets/:id',
      access: 'editor',
      params: IdParams,
      handle: ({ params, actor }) => removals.remove(params.id, actor),
    }),
  ];
}

function sourceRoutes({ sources }: ReferenceServices): Route[] {
  return [
    route({ method: 'get', path: '/sources', access: 'viewer', handle: () => sources.list() }),
    route({
      method: 'put',
      path: '/sources',
      access: 'administrator',
      body: SourceInput,
      handle: ({ body, actor }) => sources.put(body, actor),
    }),
    route({
      method: 'post',
      path: '/sources/remove',
      access: 'administrator',
      body: SourceKeyInput,
      handle: ({ body, actor }) => sources.remove(body.kind, body.name, actor),
    }),
    route({
      method: 'post',
      path: '/sources/refresh',
      access: 'editor',
      body: RefreshInput,
      handle: async ({ body, actor }) => ({
        dataset: (await sources.refresh(body.kind, body.name, body.isConfirmed, actor)) ?? null,
      }),
    }),
  ];
}

function correctionRoutes({ corrections }: ReferenceServices): Route[] {
  return [
    route({
      method: 'get',
      path: '/corrections/:kind',
      access: 'viewer',
      params: CorrectionParams,
      handle: ({ params }) => corrections.list(params.kind),
    }),
    route({
      method: 'put',
      path: '/corrections/:kind',
      access: 'editor',
      params: CorrectionParams,
      body: CorrectionInput,
      handle: ({ params, body, actor }) => corrections.put(params.kind, body, actor),
    }),
    route({
      method: 'post',
      path: '/corrections/:kind/remove',
      access: 'editor',
      params: CorrectionParams,
      body: RemoveCorrectionInput,
      handle: ({ params, body, actor }) => corrections.remove(params.kind, body.key, actor),
    }),
  ];
}

function categoryRoutes({ categoryFeeds }: ReferenceServices): Route[] {
  return [
    route({ method: 'get', path: '/categories', access: 'viewer', handle: () => categoryFeeds.overview() }),
    route({
      method: 'get',
      path: '/categories/look-up',
      access: 'viewer',
      query: LookupQuery,
      handle: ({ query }) => categoryFeeds.lookUp(query.value),
    }),
    route({
      method: 'put',
      path: '/category-feeds',
      access: 'editor',
      body: FeedOrderInput,
      handle: ({ body, actor }) => categoryFeeds.order(body.names, actor),
    }),
    route({
      method: 'delete',
      path: '/category-feeds',
      access: 'editor',
      query: NameQuery,
      handle: ({ query, actor }) => categoryFeeds.remove(query.name, actor),
    }),
  ];
}
