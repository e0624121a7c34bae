import type { ListInfo } from '@jadefence/contract';
import { LookUpQuery, NameParams } from '@jadefence/contract/server';
import { EditError, findUses, lookUpInList, showList, type Configuration } from '@jadefence/core';
import { ProblemError } from '../../http/problem.js';
import { route, type Route } from '../../http/route.js';
import type { Drafts } from '../draft/draft.js';

/** Lists of the draft: contents with nesting, where they are used, and look-ups. */
export function listRoutes(drafts: Drafts): Route[] {
  const present = async (names: (configuration: Configuration) => readonly string[]): Promise<ListInfo[]> => {
    const { parts, namedFiles } = await drafts.sources();
    const lastChange = await drafts.lastChanges();
    const configuration = { parts, namedFiles };
    return names(configuration).map((name) => ({
      ...told(() => showList(configuration, name)),
      usedBy: findUses(parts, 'list', name),
      ...lastChange('list', name),
    }));
  };
  return [
    route({
      method: 'get',
      path: '/lists',
      needs: 'viewer',
      handle: () => present(({ parts }) => parts.filter(({ kind }) => kind === 'list').map(({ name }) => name)),
    }),
    route({
      method: 'get',
      path: '/lists/:name',
      needs: 'viewer',
      params: NameParams,
      handle: async ({ params }) => (await present(() => [params.name]))[0],
    }),
    route({
      method: 'get',
      path: '/lists/:name/look-up',
      needs: 'viewer',
      params: NameParams,
      query: LookUpQuery,
      handle: async ({ params, query }) => {
        const { parts, namedFiles } = await drafts.sources();
        return told(() => lookUpInList({ parts, namedFiles }, params.name, query.value));
      },
    }),
  ];
}

/** @throws ProblemError where the core says what is wrong */
function told<T>(ask: () => T): T {
  try {
    return ask();
  } catch (error) {
    if (error instanceof EditError)
      throw new ProblemError(error.code, error.message, error.hint ? { hint: error.hint } : {});
    throw error;
  }
}
