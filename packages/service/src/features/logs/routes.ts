import { DeleteQuery, IdParams, ImportLogQuery, ListQuery } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import { withUploadedFiles } from '../../http/upload.js';
import type { LogImports } from './log-import.js';
import type { Logs } from './logs.js';

export function logRoutes(logs: Logs, imports: LogImports, maxUploadBytes: number): Route[] {
  return [
    route({
      method: 'get',
      path: '/logs',
      summary: 'List logs, latest first',
      answer: 'Log[]',
      access: 'viewer',
      query: ListQuery,
      handle: ({ query }) => logs.list(query),
    }),
    route({
      method: 'get',
      path: '/logs/:id',
      summary: 'Show a log',
      answer: 'Log',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => logs.show(params.id),
    }),
    route({
      method: 'get',
      path: '/logs/:id/survey',
      summary: 'Show the summary of a log',
      answer: 'Survey',
      access: 'viewer',
      params: IdParams,
      handle: ({ params }) => logs.survey(params.id),
    }),
    route({
      method: 'delete',
      path: '/logs/:id',
      summary: 'Delete a log',
      access: 'editor',
      params: IdParams,
      query: DeleteQuery,
      handle: ({ params, query, actor }) => logs.delete(params.id, query.force, actor),
    }),
    route({
      method: 'post',
      path: '/logs',
      summary: 'Import a log',
      answer: 'Log',
      access: 'editor',
      query: ImportLogQuery,
      takesUpload: true,
      status: 201,
      handle: ({ query, actor, request }) =>
        withUploadedFiles(request, maxUploadBytes, (files) => imports.import(query, files, actor)),
    }),
  ];
}
