import type { AuditPage } from '@jadefence/contract';
import { PageQuery } from '@jadefence/contract/server';
import { isTrailIntact } from '../../database/audit.js';
import type { Database } from '../../database/database.js';
import { AuditModel, UserModel } from '../../database/models.js';
import { route, type Route } from '../../http/route.js';

/** The audit trail, latest first. */
export function auditRoutes(db: Database): Route[] {
  return [
    route({
      method: 'get',
      path: '/audit',
      needs: 'viewer',
      query: PageQuery,
      handle: async ({ query: { offset, limit } }): Promise<AuditPage> => {
        const { results, total } = await AuditModel.query(db)
          .orderBy('id', 'desc')
          .page(Math.floor(offset / limit), limit);
        const users = await UserModel.query(db).findByIds([...new Set(results.flatMap(({ userId }) => userId ?? []))]);
        const nameOf = new Map(users.map(({ id, name }) => [id, name]));
        return {
          total,
          isIntact: await isTrailIntact(db),
          entries: results.map(({ id, at, userId, what, detail }) => ({
            id,
            at: at.toISOString(),
            user: (userId === null ? undefined : nameOf.get(userId)) ?? null,
            what,
            detail,
          })),
        };
      },
    }),
  ];
}
