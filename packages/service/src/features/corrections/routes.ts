import { CorrectionInput, CorrectionKeyQuery, CorrectionParams } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { Corrections } from './corrections.js';

export function correctionRoutes(corrections: Corrections): Route[] {
  return [
    route({
      method: 'get',
      path: '/corrections/:kind',
      summary: 'List corrections',
      answer: 'Correction[]',
      access: 'viewer',
      params: CorrectionParams,
      handle: ({ params }) => corrections.list(params.kind),
    }),
    route({
      method: 'put',
      path: '/corrections/:kind',
      summary: 'Add or replace a correction',
      answer: 'PutCorrection',
      access: 'editor',
      params: CorrectionParams,
      body: CorrectionInput,
      handle: ({ params, body, actor }) => corrections.put(params.kind, body, actor),
    }),
    route({
      method: 'delete',
      path: '/corrections/:kind',
      summary: 'Remove a correction',
      access: 'editor',
      params: CorrectionParams,
      query: CorrectionKeyQuery,
      handle: ({ params, query, actor }) => corrections.remove(params.kind, query.key, actor),
    }),
  ];
}
