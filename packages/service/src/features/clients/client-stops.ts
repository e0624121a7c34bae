import type { StopClientRequest, StoppedNow } from '@jadefence/contract';
import {
  readClient,
  releaseClientEdits,
  stopClientEdits,
  stoppedClients,
  type StoppedClient,
} from '@jadefence/core/edit';
import { formatRange, parseAddress } from '@jadefence/core/request';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { toProblem } from '../draft/check.js';
import type { Revisions } from '../revisions/revisions.js';

/** Clients that are stopped at every gate at once, and published so, apart from what else the draft has. */
export class ClientStops {
  constructor(private readonly revisions: Revisions) {}

  /** Those that what is published stops. */
  async list(): Promise<StoppedClient[]> {
    const number = await this.revisions.latestNumber();
    return number === 0 ? [] : stoppedClients(await this.revisions.configurationOf(number), Date.now());
  }

  /** @throws ProblemError where it cannot be read, nothing is published, or it is protected and not forced */
  async stop({ isForced = false, ...stop }: StopClientRequest, actor: Actor): Promise<StoppedNow> {
    const nowUnixMs = Date.now();
    const client = formatRange(toProblem(() => readClient(stop.client)));
    const isProtected = await this.#protectedList(client);
    if (isProtected !== undefined && !isForced)
      throw new ProblemError('protected-stopped', `${client} is in the protected list ${isProtected}.`, {
        hint: 'Force it if that is what you want; the audit trail records it.',
      });
    const until = stop.for === undefined ? 'until it is released' : `for ${stop.for}`;
    const revision = await this.revisions.publishEdits(
      {
        editsOf: (configuration) => stopClientEdits(configuration, stop, actor.name, nowUnixMs),
        note: `Stop ${client} ${until}${stop.reason === undefined ? '' : `: ${stop.reason}`}`,
        what: 'client.stop',
        detail: { client, for: stop.for ?? null, reason: stop.reason ?? null, protected: isProtected ?? null },
      },
      isForced,
      actor,
    );
    const stopped = (await this.list()).find((one) => one.client === client)!;
    return { ...stopped, revision };
  }

  /** @throws ProblemError where it is not stopped */
  async release(text: string, actor: Actor): Promise<{ readonly client: string; readonly revision: number }> {
    const client = formatRange(toProblem(() => readClient(text)));
    const number = await this.revisions.latestNumber();
    const published = number === 0 ? { parts: [], namedFiles: [] } : await this.revisions.configurationOf(number);
    toProblem(() => releaseClientEdits(published, client));
    const revision = await this.revisions.publishEdits(
      {
        // The draft may have been changed by hand since.
        editsOf: (configuration) =>
          stoppedClients(configuration, 0).some((one) => one.client === client)
            ? releaseClientEdits(configuration, client)
            : [],
        note: `Release ${client}`,
        what: 'client.release',
        detail: { client },
      },
      false,
      actor,
    );
    return { client, revision };
  }

  async #protectedList(client: string): Promise<string | undefined> {
    const number = await this.revisions.latestNumber();
    if (number === 0) return undefined;
    const { lists } = await this.revisions.rulebook(number);
    const range = readClient(client);
    return [...lists.values()].find(
      ({ isProtected, members, source }) =>
        isProtected &&
        (members.find(parseAddress(client.replace(/\/.*/, ''))!) !== undefined ||
          source.entries.some(
            (value) =>
              value.kind === 'addresses' &&
              value.range.family === range.family &&
              value.range.first <= range.last &&
              value.range.last >= range.first,
          )),
    )?.name;
  }
}
