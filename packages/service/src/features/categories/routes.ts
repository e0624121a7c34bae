import { FeedOrderInput, FeedParams, LookupQuery } from '@jadefence/contract/server';
import { route, type Route } from '../../http/route.js';
import type { CategoryFeeds } from './categories.js';

export function categoryRoutes(categoryFeeds: CategoryFeeds): Route[] {
  return [
    route({
      method: 'get',
      path: '/categories',
      summary: 'List categories and feeds',
      answer: 'CategoryOverview',
      access: 'viewer',
      handle: () => categoryFeeds.overview(),
    }),
    route({
      method: 'get',
      path: '/categories/lookup',
      summary: 'Look up the categories of a site',
      answer: 'CategoryLookup',
      access: 'viewer',
      query: LookupQuery,
      handle: ({ query }) => categoryFeeds.lookup(query.value),
    }),
    route({
      method: 'put',
      path: '/categories/feeds',
      summary: 'Set the order of the feeds',
      answer: 'CategoryOverview',
      access: 'editor',
      body: FeedOrderInput,
      handle: ({ body, actor }) => categoryFeeds.order(body.names, actor),
    }),
    route({
      method: 'delete',
      path: '/categories/feeds/:name',
      summary: 'Remove a feed',
      access: 'editor',
      params: FeedParams,
      handle: ({ params, actor }) => categoryFeeds.remove(params.name, actor),
    }),
  ];
}
