import { ReleaseClientInput, StopClientInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { ClientStops } from './client-stops.js';

export function clientRoutes(stops: ClientStops): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/stopped-clients',
      summary: 'List the clients that are stopped at every gate',
      answer: 'StoppedClient[]',
      access: 'viewer',
      handle: () => stops.list(),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/stopped-clients',
      summary: 'Stop a client at every gate, and publish just that',
      answer: 'StoppedNow',
      access: 'editor',
      body: StopClientInput,
      status: 201,
      handle: ({ body, actor }) => stops.stop(body, actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/stopped-clients/release',
      summary: 'Let a stopped client pass again, and publish just that',
      answer: 'ReleasedClient',
      access: 'editor',
      body: ReleaseClientInput,
      handle: ({ body, actor }) => stops.release(body.client, actor),
    }),
  ];
}
