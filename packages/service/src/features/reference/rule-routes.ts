import { CountriesQuery, IdentifyInput, LookupQuery } from '@jadefence/contract/server';
import { identifyApplications, buildSyntheticFlow, normalizeRequest } from '@jadefence/core';
import { threadRoute, type Route } from '../../http/route.js';
import type { Drafts } from '../draft/draft.js';
import { listApplications } from './applications.js';
import type { CountryTables } from './countries.js';
import type { ReferenceSnapshots } from './worlds.js';

/** What reference data and the rules of the draft say together. */
export function referenceRuleRoutes(countryTables: CountryTables, worlds: ReferenceSnapshots, drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/countries',
      access: 'viewer',
      query: CountriesQuery,
      handle: ({ query }) => countryTables.overview(query.log),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/countries/look-up',
      access: 'viewer',
      query: LookupQuery,
      handle: ({ query }) => countryTables.lookUp(query.value),
    }),
    ...applicationRoutes(worlds, drafts),
  ];
}

function applicationRoutes(worlds: ReferenceSnapshots, drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/applications',
      access: 'viewer',
      handle: async () => listApplications(await drafts.configuration()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/applications/identify',
      access: 'viewer',
      body: IdentifyInput,
      handle: async ({ body }) => {
        const rulebook = await drafts.rulebook();
        const request = normalizeRequest(buildSyntheticFlow(body, Date.now()));
        return identifyApplications({ rulebook, ...(await worlds.loadCurrent()).world }, request);
      },
    }),
  ];
}
