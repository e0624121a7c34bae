import { DatasetsQuery, IdParams, ImportDatasetQuery, ActivateDatasetInput } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import { readUpload } from '../../http/upload.js';
import type { Datasets } from '../../reference/datasets.js';
import type { ReferenceImports } from './imports.js';
import type { Removals } from './removals.js';

/** What datasets are served by. */
export interface DatasetServices {
  readonly datasets: Datasets;
  readonly imports: ReferenceImports;
  readonly removals: Removals;
}

export function datasetRoutes({ datasets, imports, removals }: DatasetServices, maxUploadBytes: number): Route[] {
  return [
    route({
      method: 'get',
      path: '/datasets',
      summary: 'List imported datasets, latest first',
      answer: 'DatasetInfo[]',
      access: 'viewer',
      query: DatasetsQuery,
      handle: ({ query }) => datasets.list(query),
    }),
    route({
      method: 'post',
      path: '/datasets',
      summary: 'Import a dataset',
      answer: 'DatasetInfo',
      access: 'editor',
      query: ImportDatasetQuery,
      takesUpload: true,
      handle: ({ query: { confirm, replay, ...input }, actor, request, signal }) => {
        return imports.import(
          { ...input, isConfirmed: confirm, isReplayed: replay },
          readUpload(request, maxUploadBytes),
          actor,
          signal,
        );
      },
    }),
    route({
      method: 'get',
      path: '/datasets/:id',
      summary: 'Show a dataset',
      answer: 'DatasetInfo',
      access: 'viewer',
      params: IdParams,
      handle: async ({ params }) => datasets.present(await datasets.find(params.id)),
    }),
    route({
      method: 'post',
      path: '/datasets/:id/activate',
      summary: 'Activate a dataset',
      answer: 'DatasetInfo',
      access: 'editor',
      params: IdParams,
      body: ActivateDatasetInput,
      handle: ({ params, body, actor }) => imports.activate(params.id, body.isConfirmed, actor),
    }),
    route({
      method: 'delete',
      path: '/datasets/:id',
      summary: 'Delete a dataset',
      access: 'editor',
      params: IdParams,
      handle: ({ params, actor }) => removals.remove(params.id, actor),
    }),
  ];
}
