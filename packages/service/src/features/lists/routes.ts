import type { ListInfo } from '@jadefence/contract';
import { LookupQuery, NameParams } from '@jadefence/contract/server';
import { findUses, lookupInList, lookupInLists, showList, type Configuration } from '@jadefence/core/edit';
import { threadRoute, type Route } from '../../http/route.js';
import { toProblem } from '../draft/check.js';
import type { Database } from '../../database/database.js';
import type { Drafts } from '../draft/draft.js';
import { findOrigins } from './origins.js';

/** Lists of the draft: contents with nesting, where they are used, and lookups. */
export function listRoutes(db: Database, drafts: Drafts): Route[] {
  const present = async (names: (configuration: Configuration) => readonly string[]): Promise<ListInfo[]> => {
    const configuration = await drafts.configuration();
    const lastChange = await drafts.lastChanges();
    return names(configuration).map((name) => ({
      ...toProblem(() => showList(configuration, name)),
      usedBy: findUses(configuration.parts, 'list', name),
      ...lastChange('list', name),
    }));
  };
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/lists',
      summary: 'List the lists of the draft',
      answer: 'ListInfo[]',
      access: 'viewer',
      handle: () => present(({ parts }) => parts.filter(({ kind }) => kind === 'list').map(({ name }) => name)),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/lists/:name',
      summary: 'Show a list',
      answer: 'ListInfo',
      access: 'viewer',
      params: NameParams,
      handle: async ({ params }) => (await present(() => [params.name]))[0]!,
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/lists/:name/origins',
      summary: 'Show who added each entry of a list, and when',
      answer: 'EntryOrigin[]',
      access: 'viewer',
      params: NameParams,
      handle: async ({ params }) => findOrigins(db, await drafts.configuration(), params.name),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/list-entries',
      summary: 'Search all lists for a value',
      answer: 'ListLookup[]',
      access: 'viewer',
      query: LookupQuery,
      handle: async ({ query }) => {
        const configuration = await drafts.configuration();
        return toProblem(() => lookupInLists(configuration, query.value));
      },
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/lists/:name/lookup',
      summary: 'Check whether a list contains a value',
      answer: 'ListLookup',
      access: 'viewer',
      params: NameParams,
      query: LookupQuery,
      handle: async ({ params, query }) => {
        const configuration = await drafts.configuration();
        return toProblem(() => lookupInList(configuration, params.name, query.value));
      },
    }),
  ];
}
