import { ImportCountryTableQuery } from '@jadefence/contract/server';
import { readUpload } from '../../http/upload.js';
import { route, type Route } from '../../http/route.js';
import type { CountryTables } from './country-tables.js';

const MAX_TABLE_BYTES = 256 * 1024 * 1024;

export function countryTableRoutes(tables: CountryTables): Route[] {
  return [
    route({ method: 'get', path: '/country-table', needs: 'viewer', handle: () => tables.show() }),
    route({
      method: 'put',
      path: '/country-table',
      needs: 'editor',
      query: ImportCountryTableQuery,
      takesUpload: true,
      handle: async ({ query, actor, request }) => {
        const pieces: Uint8Array[] = [];
        for await (const piece of readUpload(request, MAX_TABLE_BYTES)) pieces.push(piece);
        return tables.import(query.name, Buffer.concat(pieces), actor);
      },
    }),
  ];
}
