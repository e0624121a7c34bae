import type { Health } from '@jadefence/contract';
import { route, type Route } from '../../http/route.js';

export const VERSION = '0.1.0';

/** Alive, without asking the database. */
export function healthRoutes(): Route[] {
  return [route({ method: 'get', path: '/health', needs: 'nobody', handle: async (): Promise<Health> => ({ status: 'ok', version: VERSION }) })];
}
