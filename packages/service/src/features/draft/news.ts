import { setTimeout as sleep } from 'node:timers/promises';
import type { DraftNews } from '@jadefence/contract';
import { describeChange } from '@jadefence/core/edit';
import type { Change } from '@jadefence/core/language';
import type { Database } from '../../database/database.js';

const LOOK_MS = 1500;

interface LatestRow {
  readonly version: number;
  readonly user_name: string | null;
  readonly num_changes: number | null;
  readonly first: Change | null;
}

/** Reports changes of the draft to those who look at it, also where another process made them. */
export class DraftWatch {
  readonly #ended = new AbortController();
  #latest: { readonly atMs: number; readonly news: Promise<DraftNews> } | undefined;

  constructor(private readonly db: Database) {}

  /** Ends what follows, so that the service can stop. */
  end(): void {
    this.#ended.abort();
  }

  /** The draft as it is, and again after each change, until the caller has gone. */
  async *follow(signal: AbortSignal): AsyncGenerator<DraftNews> {
    const until = AbortSignal.any([signal, this.#ended.signal]);
    let seen: number | undefined;
    while (!until.aborted) {
      const news = await this.#look();
      if (news.version !== seen) yield news;
      seen = news.version;
      await sleep(LOOK_MS, undefined, { signal: until, ref: false }).catch(() => undefined);
    }
  }

  /** All that follow share what was read last. */
  #look(): Promise<DraftNews> {
    const now = Date.now();
    if (!this.#latest || now - this.#latest.atMs >= LOOK_MS) {
      const news = this.#read();
      this.#latest = { atMs: now, news };
      news.catch(() => (this.#latest = undefined));
    }
    return this.#latest.news;
  }

  async #read(): Promise<DraftNews> {
    const { rows } = await this.db.raw<{ rows: LatestRow[] }>(`
      select d.version, u.name as user_name, a.num_changes, a.first
      from drafts d
      left join lateral (
        select user_id, jsonb_array_length(detail -> 'changes') as num_changes, detail -> 'changes' -> 0 as first
        from audit where what like 'draft.%' order by id desc limit 1
      ) a on true
      left join users u on u.id = a.user_id
      where d.name = 'main'`);
    const { version, user_name: by, num_changes: numChanges, first } = rows[0]!;
    return { version, by, numChanges: numChanges ?? 0, summary: first ? describeChange(first).summary : null };
  }
}
