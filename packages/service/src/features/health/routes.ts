import { VERSION, type Health } from '@jadefence/contract';
import type { Database } from '../../database/database.js';
import { UserModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import { route, type Route } from '../../http/route.js';

/** Alive, without a query; ready, when the database answers too and the service is not stopping. */
export class HealthCheck {
  #isDraining = false;

  constructor(private readonly db: Database) {}

  drain(): void {
    this.#isDraining = true;
  }

  readonly routes: readonly Route[] = [
    route({
      method: 'get',
      path: '/health',
      summary: 'Check that the service is alive',
      answer: 'Health',
      access: 'public',
      handle: async (): Promise<Health> => ({ status: 'ok', version: VERSION }),
    }),
    route({
      method: 'get',
      path: '/ready',
      summary: 'Check that the service can answer requests',
      answer: 'Health',
      access: 'public',
      handle: async (): Promise<Health> => {
        if (this.#isDraining) throw new ProblemError('shutting-down', 'The service is stopping.');
        await UserModel.query(this.db).select('id').limit(1);
        return { status: 'ok', version: VERSION };
      },
    }),
  ];
}
