import type { AuditCheck, AuditPage } from '@jadefence/contract';
import { PageQuery } from '@jadefence/contract/server';
import type { AuditTrail } from '../../database/audit.js';
import type { Database } from '../../database/database.js';
import { AuditModel, UserModel } from '../../database/models.js';
import { threadRoute, type Route } from '../../http/route.js';

/** The audit trail, latest first. */
export function auditRoutes(db: Database, trail: AuditTrail): Route[] {
  return [
    threadRoute('pages', {
      method: 'get',
      path: '/audit',
      summary: 'Read a page of the audit trail, latest first',
      answer: 'AuditPage',
      access: 'viewer',
      query: PageQuery,
      handle: async ({ query: { offset, limit } }): Promise<AuditPage> => {
        const results = await AuditModel.query(db).orderBy('id', 'desc').offset(offset).limit(limit);
        const users = await UserModel.query(db).findByIds([...new Set(results.flatMap(({ userId }) => userId ?? []))]);
        const nameOf = new Map(users.map(({ id, name }) => [id, name]));
        const { isIntact, numEntries, problem } = await trail.verifyNew();
        return {
          total: isIntact ? numEntries : await AuditModel.query(db).resultSize(),
          isIntact,
          ...(problem === undefined ? {} : { problem }),
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
    threadRoute('pages', {
      method: 'post',
      path: '/audit/verify',
      summary: 'Verify the chain of the audit trail',
      answer: 'AuditCheck',
      access: 'editor',
      handle: (): Promise<AuditCheck> => trail.verify(),
    }),
  ];
}
