import { CountriesQuery, LookupQuery } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { CountryTables } from './countries.js';

export function countryRoutes(countryTables: CountryTables): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/countries',
      summary: 'Show the country table, with the requests of a log by country',
      answer: 'Countries',
      access: 'viewer',
      query: CountriesQuery,
      handle: ({ query }) => countryTables.overview(query.log),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/countries/lookup',
      summary: 'Look up the country of an address or name',
      answer: 'CountryLookup',
      access: 'viewer',
      query: LookupQuery,
      handle: ({ query }) => countryTables.lookup(query.value),
    }),
  ];
}
