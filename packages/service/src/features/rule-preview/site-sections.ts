import type { SiteSections } from '@jadefence/contract';
import { addSections, SectionCounter } from '@jadefence/core/replay';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { Logs } from '../logs/logs.js';

/** What a rule about a site can name: the hosts of a log, and what the paths of one begin with. */
export class Sections {
  readonly #attributes = new SectionCounter().attributes;

  constructor(
    private readonly logs: Logs,
    private readonly pool: Judging,
  ) {}

  /** @param site a host with those below it; all where absent. @throws ProblemError when there is no such log */
  async of(logId: number, site: string | undefined, signal?: AbortSignal): Promise<SiteSections> {
    const log = await this.logs.find(logId);
    const parts = await this.logs.mapChunks(
      log.id,
      { attributes: this.#attributes, numThreads: this.pool.size, ...(signal ? { signal } : {}) },
      (chunks) => this.pool.countSections({ ...chunks, ...(site === undefined ? {} : { site }) }),
    );
    return addSections(parts);
  }
}
