/** Acknowledged writes, and whether they are still there. */
import { listAll, type ReplayResult, type ServiceClient } from '@jadefence/contract';

const REPLAY_WITHIN_MS = 120_000;

export class Acknowledged {
  readonly #logs = new Map<number, { readonly name: string; readonly requests: number }>();
  readonly #revisions = new Map<number, string>();
  readonly #replays = new Set<number>();
  #edit = { version: 0, text: '' };
  #table = 0;

  /** @param expected the result of every replay that uses the same country table */
  constructor(private readonly expected: ReplayResult) {}

  log(id: number, name: string, requests: number): void {
    this.#logs.set(id, { name, requests });
  }

  revision(number: number, note: string): void {
    this.#revisions.set(number, note);
  }

  replay(id: number): void {
    this.#replays.add(id);
  }

  edit(version: number, text: string): void {
    if (version > this.#edit.version) this.#edit = { version, text };
  }

  table(id: number): void {
    this.#table = Math.max(this.#table, id);
  }

  summary(): string {
    return `${this.#logs.size} logs, ${this.#revisions.size} revisions, ${this.#replays.size} replays are there`;
  }

  /** @throws Error naming what is lost */
  async check(client: ServiceClient): Promise<void> {
    const logs = new Map((await listAll(client.logs)).map((log) => [log.id, log]));
    for (const [id, { name, requests }] of this.#logs) {
      const item = logs.get(id);
      mustBe(item?.name === name && item.requests === requests, `log ${id} "${name}" with ${requests} requests`);
    }
    for (const log of logs.values())
      mustBe(log.requests > 0 && log.incomplete === null, `all of log ${log.id}, which is shown`);
    const revisions = await listAll(client.revisions);
    mustBe(
      revisions.every(({ number }, index) => number === revisions.length - index),
      `numbers of revisions without a gap: ${revisions.map(({ number }) => number).join(' ')}`,
    );
    const notes = new Map(revisions.map(({ number, note }) => [number, note]));
    for (const [number, note] of this.#revisions)
      mustBe(notes.get(number) === note, `revision ${number} with the note "${note}"`);
    const { version, parts } = await client.draftSources();
    mustBe(version >= this.#edit.version, `version ${this.#edit.version} of the draft`);
    if (version === this.#edit.version)
      mustBe(
        parts.some(({ text }) => text.replace(/\s+/g, ' ').trim() === this.#edit.text),
        `"${this.#edit.text}" in the draft`,
      );
    const tables = await listAll((page) => client.datasets('country', page));
    mustBe(tables.filter(({ isActive }) => isActive).length === 1, 'one active country table');
    mustBe(tables.find(({ isActive }) => isActive)!.id >= this.#table, `country table ${this.#table}`);
    const { isIntact, problem } = await client.verifyAudit();
    mustBe(isIntact, `the audit trail: ${problem}`);
  }

  /** Waits until every replay is done. @throws Error if a result differs */
  async checkReplays(client: ServiceClient): Promise<void> {
    const endsAtMs = Date.now() + REPLAY_WITHIN_MS;
    for (const id of this.#replays) {
      while (['waiting', 'running'].includes((await client.replay(id)).state)) {
        mustBe(Date.now() < endsAtMs, `the end of replay ${id}`);
        await new Promise((resolve) => setTimeout(resolve, 250));
      }
      const result = await client.replayResult(id);
      const isSameTable = result.countryTable?.sha256 === this.expected.countryTable?.sha256;
      mustBe(
        (!isSameTable || JSON.stringify(result.summary) === JSON.stringify(this.expected.summary)) &&
          result.summary.requests === this.expected.summary.requests,
        `the result of replay ${id}: it is ${JSON.stringify(result.summary)}, not ${JSON.stringify(this.expected.summary)}`,
      );
    }
  }
}

function mustBe(isSo: boolean, what: string): asserts isSo {
  if (!isSo) throw new Error(`Lost: ${what}.`);
}
