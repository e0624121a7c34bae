import { VERSION, type Health } from '@jadefence/contract';
import type { Database } from '../../database/database.js';
import { UserModel } from '../../database/models.js';
import { route, type Route } from '../../http/route.js';

/** Alive, without asking the database; ready, when the database answers too. */
export function healthRoutes(db: Database): Route[] {
  return [
    route({
      method: 'get',
      path: '/health',
      needs: 'nobody',
      handle: async (): Promise<Health> => ({ status: 'ok', version: VERSION }),
    }),
    route({
      method: 'get',
      path: '/ready',
      needs: 'nobody',
      handle: async (): Promise<Health> => {
        await UserModel.query(db).select('id').limit(1);
        return { status: 'ok', version: VERSION };
      },
    }),
  ];
}
