import { CountriesQuery, IdentifyInput, LookUpQuery } from '@jadefence/contract/server';
import { identifyApplications, buildSyntheticFlow, normalizeRequest } from '@jadefence/core';
import { threadRoute, type Route } from '../../http/route.js';
import type { Drafts } from '../draft/draft.js';
import { listApplications } from './applications.js';
import type { CountryTables } from './countries.js';
import type { Worlds } from './worlds.js';

/** What reference data and the rules of the draft say together. */
export function referenceRuleRoutes(countryTables: CountryTables, worlds: Worlds, drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/countries',
      needs: 'viewer',
      query: CountriesQuery,
      handle: ({ query }) => countryTables.overview(query.log),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/countries/look-up',
      needs: 'viewer',
      query: LookUpQuery,
      handle: ({ query }) => countryTables.lookUp(query.value),
    }),
    ...applicationRoutes(worlds, drafts),
  ];
}

function applicationRoutes(worlds: Worlds, drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/applications',
      needs: 'viewer',
      handle: async () => listApplications(await drafts.configuration()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/applications/identify',
      needs: 'viewer',
      body: IdentifyInput,
      handle: async ({ body }) => {
        const rulebook = await drafts.rulebook();
        const request = normalizeRequest(buildSyntheticFlow(body, Date.now()));
        return identifyApplications({ rulebook, ...(await worlds.loadCurrent()).world }, request);
      },
    }),
  ];
}
