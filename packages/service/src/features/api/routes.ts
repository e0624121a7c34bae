import { describeApi, readAnswerSchemas, type ApiDescription } from '../../http/openapi.js';
import { route, type Route } from '../../http/route.js';
import { renderApiPage } from './api-page.js';

/** The description of the API, for programs and for people. @param routes the route table, read at the first request */
export function apiRoutes(routes: () => readonly Route[]): Route[] {
  let description: ApiDescription | undefined;
  const describe = (): ApiDescription => (description ??= describeApi(routes(), readAnswerSchemas()));
  return [
    route({
      method: 'get',
      path: '/openapi.json',
      summary: 'Describe the API (OpenAPI 3.1)',
      answer: 'ApiDescription',
      access: 'public',
      handle: async () => ({ ...describe() }),
    }),
    route({
      method: 'get',
      path: '/reference',
      summary: 'Show the description of the API as a page',
      access: 'public',
      handle: async ({ response }) => void response.type('html').send(renderApiPage(describe())),
    }),
  ];
}
