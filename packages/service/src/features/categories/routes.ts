import { FeedOrderInput, FeedParams, LookupQuery } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { CategoryFeeds } from './categories.js';

export function categoryRoutes(categoryFeeds: CategoryFeeds): Route[] {
  return [
    route({ method: 'get', path: '/categories', access: 'viewer', handle: () => categoryFeeds.overview() }),
    route({
      method: 'get',
      path: '/categories/lookup',
      access: 'viewer',
      query: LookupQuery,
      handle: ({ query }) => categoryFeeds.lookup(query.value),
    }),
    route({
      method: 'put',
      path: '/categories/feeds',
      access: 'editor',
      body: FeedOrderInput,
      handle: ({ body, actor }) => categoryFeeds.order(body.names, actor),
    }),
    route({
      method: 'delete',
      path: '/categories/feeds/:name',
      access: 'editor',
      params: FeedParams,
      handle: ({ params, actor }) => categoryFeeds.remove(params.name, actor),
    }),
  ];
}
