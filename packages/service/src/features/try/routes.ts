import type { Explanation } from '@jadefence/contract';
import { TryRequestInput } from '@jadefence/contract/server';
import { explainRequest, makeUpRecord, normalizeRequest } from '@jadefence/core';
import { ProblemError } from '../../http/problem.js';
import { route, type Route } from '../../http/route.js';
import type { CountryTables } from '../country-table/country-tables.js';
import type { Drafts } from '../draft/draft.js';

export function tryRoutes(drafts: Drafts, countryTables: CountryTables): Route[] {
  return [
    route({
      method: 'post',
      path: '/try',
      needs: 'viewer',
      body: TryRequestInput,
      handle: async ({ body }): Promise<Explanation> => {
        const atUnixMs = body.at === undefined ? Date.now() : Date.parse(body.at);
        const { record, problems } = makeUpRecord({ ...body, atUnixMs });
        if (!record) {
          throw new ProblemError('bad-request', problems.map(({ message }) => message).join(' '), {
            errors: problems.map(({ part, message }) => ({ place: part, message })),
          });
        }
        return explainRequest(
          { rulebook: await drafts.rulebook(), countries: await countryTables.table() },
          normalizeRequest(record),
        );
      },
    }),
  ];
}
