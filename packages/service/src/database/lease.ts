/**
 * Leases: what a process has under way bears a time until which it counts as alive, and the process renews it. What is
 * under way without a lease was left behind by a process that ended; on the same machine that is seen at once.
 */
import { randomUUID } from 'node:crypto';
import { hostname } from 'node:os';
import type { Knex } from 'knex';
import type { Logger } from 'pino';
import type { Database } from './database.js';

export const LEASE_MS = 15_000;
const RENEW_MS = 3_000;
const LEASED_TABLES = ['logs', 'replays', 'comparisons'] as const;
export type LeasedTable = (typeof LEASED_TABLES)[number];

/** This process, distinct from an earlier one with the same number. */
const HOLDER = JSON.stringify([hostname(), process.pid, randomUUID()]);

/** Renews the lease of a row until it is released. */
export class Lease {
  readonly #timer: NodeJS.Timeout;

  constructor(
    private readonly db: Database,
    private readonly table: LeasedTable,
    private readonly id: number,
    private readonly logger: Logger,
  ) {
    this.#timer = setInterval(() => {
      this.#renew().catch((error: unknown) => this.logger.warn({ err: error, table, id }, 'a lease was not renewed'));
    }, RENEW_MS);
    this.#timer.unref();
  }

  async #renew(): Promise<void> {
    await this.db(this.table).where({ id: this.id }).update({ leasedUntil: leaseEnd(), leasedBy: HOLDER });
  }

  /** Ends the renewal; the lease runs out by itself. */
  end(): void {
    clearInterval(this.#timer);
  }

  async release(): Promise<void> {
    this.end();
    await this.db(this.table).where({ id: this.id }).update({ leasedUntil: null, leasedBy: null });
  }
}

function leaseEnd(): Date {
  return new Date(Date.now() + LEASE_MS);
}

/** The columns of a row that is leased as it is inserted. */
export function leaseColumns(): { readonly leasedUntil: Date; readonly leasedBy: string } {
  return { leasedUntil: leaseEnd(), leasedBy: HOLDER };
}

/** Takes the lease of a row that no living process holds. @returns undefined where one holds it */
export async function takeLease(
  db: Database,
  table: LeasedTable,
  id: number,
  logger: Logger,
): Promise<Lease | undefined> {
  const taken = await db(table).where({ id }).where(whereUnleased).update(leaseColumns());
  return taken === 1 ? new Lease(db, table, id, logger) : undefined;
}

/** Restricts a query of a leased table to rows that no living process has under way. */
export function whereUnleased(query: Knex.QueryBuilder): void {
  query.whereNull('leased_until').orWhereRaw('leased_until < now()');
}

/** Releases what processes of this machine held that have ended. */
export async function releaseDeadLeases(db: Database): Promise<void> {
  for (const table of LEASED_TABLES) {
    const rows = (await db(table).distinct('leasedBy').whereNotNull('leasedBy')) as { leasedBy: string }[];
    const dead = rows.map(({ leasedBy }) => leasedBy).filter(isDead);
    if (dead.length > 0) await db(table).whereIn('leasedBy', dead).update({ leasedUntil: null, leasedBy: null });
  }
}

function isDead(holder: string): boolean {
  if (holder === HOLDER) return false;
  const [host, pid] = JSON.parse(holder) as [string, number];
  if (host !== hostname()) return false;
  if (pid === process.pid) return true;
  try {
    process.kill(pid, 0);
    return false;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ESRCH';
  }
}
