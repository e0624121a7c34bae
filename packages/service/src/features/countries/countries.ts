import { lookup, Resolver } from 'node:dns/promises';
import type { AddressLookup, Countries, CountryLookup } from '@jadefence/contract';
import { findAddressUses, type AddressUses } from '@jadefence/core/explain';
import { formatDiagnostic, joinParts, printFences } from '@jadefence/core/language';
import { describeCountryAnswer, measureCountryTable, nameCountry } from '@jadefence/core/reference';
import {
  formatAddress,
  formatRange,
  invariant,
  normalizeHost,
  parseAddress,
  type Address,
} from '@jadefence/core/request';
import type { Database } from '../../database/database.js';
import { ProblemError } from '../../http/problem.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { EvaluationInput } from '../../threads/prepare-context.js';
import { checkStored, DRAFT_PATH } from '../draft/snapshots.js';
import type { Drafts } from '../draft/draft.js';
import type { Logs } from '../logs/logs.js';
import { shareDataset } from '../replays/context-store.js';
import type { Datasets } from '../../reference/datasets.js';
import { computeFreshness } from '../sources/freshness.js';
import { findSource } from '../sources/sources.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';

const RESOLVE_TIMEOUT_MS = 5000;
const SEES_NOTHING: AddressUses = { lists: [], gates: [], rules: [] };

/** What the active country table holds, and who an address belongs to. */
export class CountryTables {
  /** Requests by country, of the log and reference data used last. */
  #counted: { readonly key: string; readonly counts: Promise<Map<string, number>> } | undefined;

  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly drafts: Drafts,
    private readonly logs: Logs,
    private readonly pool: Judging,
    private readonly resolver: string | undefined,
  ) {}

  /** @param logId counts the requests of a log by country. @throws ProblemError when there is no such log */
  async overview(logId: number | undefined): Promise<Countries> {
    const [table] = await this.datasets.active('country');
    const freshness = computeFreshness(table, await findSource(this.db, 'country', ''), new Date());
    const counts = logId === undefined ? undefined : await this.#count(logId);
    // Tables of the first version were not measured when they were imported.
    const shares =
      table?.stats.countries ?? (table ? measureCountryTable(await this.datasets.countryTable(table.id)) : []);
    const known = new Set(shares.map(({ country }) => country));
    const others = [...(counts?.keys() ?? [])].filter((code) => /^[A-Z]{2}$/.test(code) && !known.has(code));
    const all = [
      ...shares,
      // Countries that only corrections give to clients.
      ...others.map((country) => ({ country, numRanges: 0, addresses4: '0', addresses6: '0' })),
    ];
    return {
      table: table ? await this.datasets.present(table) : null,
      freshness,
      countries: all.map((share) => ({
        ...share,
        name: nameCountry(share.country),
        ...(counts ? { requests: counts.get(share.country) ?? 0 } : {}),
      })),
      ...(counts
        ? {
            elsewhere: Object.fromEntries([...counts].filter(([code]) => !/^[A-Z]{2}$/.test(code))),
            requests: [...counts.values()].reduce((sum, count) => sum + count, 0),
          }
        : {}),
    };
  }

  /** @param text an address, or a name that is resolved. @throws ProblemError where it is neither, or does not resolve */
  async lookup(text: string): Promise<CountryLookup> {
    const requested = text.trim();
    const address = parseAddress(requested);
    const addresses = address ? [address] : await this.#resolve(requested);
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    if (!referenceData.countries)
      throw new ProblemError('not-found', 'There is no country table yet.', {
        hint: 'Import one with jadefence country import FILE.',
      });
    const { rulebook, diagnostics } = checkStored(await this.drafts.configuration(), { categories: undefined });
    return {
      requested,
      ...(rulebook ? {} : { unavailable: diagnostics.map(formatDiagnostic) }),
      addresses: addresses.map((eachAddress): AddressLookup => {
        const answer = referenceData.countries!.find(eachAddress);
        return {
          address: formatAddress(eachAddress),
          country: answer.country,
          countryName: nameCountry(answer.country),
          evidence: describeCountryAnswer(answer),
          ...(answer.range ? { range: formatRange(answer.range) } : {}),
          isCorrected: answer.isCorrected,
          ...(rulebook ? findAddressUses(rulebook, eachAddress, answer.country) : SEES_NOTHING),
        };
      }),
    };
  }

  async #resolve(text: string): Promise<Address[]> {
    const name = normalizeHost(text);
    if (name === null)
      throw new ProblemError('bad-input', `"${text}" is neither an address nor a name.`, {
        hint: 'Write an address such as 198.18.4.7, or a name such as shop.example.',
      });
    const texts = await this.#resolveName(name).catch((error: NodeJS.ErrnoException) => {
      throw new ProblemError('not-found', `${name} does not resolve (${error.code ?? error.message}).`, {
        hint: 'Check the name, or look the address up itself.',
      });
    });
    return texts.map((eachText) => {
      const address = parseAddress(eachText);
      invariant(address, `a resolver answered ${eachText}`);
      return address;
    });
  }

  async #resolveName(name: string): Promise<string[]> {
    if (this.resolver === undefined) return (await lookup(name, { all: true })).map(({ address }) => address);
    const resolver = new Resolver({ timeout: RESOLVE_TIMEOUT_MS, tries: 1 });
    resolver.setServers([this.resolver]);
    const [four, six] = await Promise.allSettled([resolver.resolve4(name), resolver.resolve6(name)]);
    const item = [four, six].flatMap((answer) => (answer.status === 'fulfilled' ? answer.value : []));
    if (item.length === 0) throw four.status === 'rejected' ? four.reason : new Error('no address');
    return item;
  }

  async #count(logId: number): Promise<Map<string, number>> {
    const log = await this.logs.find(logId);
    const { parts, namedFiles, datasets = [], version } = await this.drafts.configuration();
    const referenceHash = await this.referenceSnapshots.currentHash();
    const key = JSON.stringify([logId, version, referenceHash, datasets.map(({ sha256 }) => sha256)]);
    if (this.#counted?.key !== key) {
      const { rulebook } = checkStored({ parts, namedFiles, datasets });
      const { shared } = await this.referenceSnapshots.loadCurrent();
      const text = rulebook ? printFences(joinParts(parts, DRAFT_PATH)) : '';
      const source = {
        contextKey: `countries ${key}`,
        // Fences that cannot judge have no gates either, so clients are those of the log.
        fenceFile: { path: DRAFT_PATH, text },
        namedFiles,
        datasets: datasets.map(shareDataset),
        referenceData: shared,
      };
      this.#counted = { key, counts: this.#countChunks(log.id, source) };
      this.#counted.counts.catch(() => (this.#counted = undefined));
    }
    return this.#counted.counts;
  }

  async #countChunks(logId: number, source: EvaluationInput): Promise<Map<string, number>> {
    const attributes = await this.pool.countryAttributes(source);
    const counts = await this.logs.mapChunks(logId, { attributes, numThreads: this.pool.size }, (chunks) =>
      this.pool.countCountries({ ...source, ...chunks }),
    );
    const total = new Map<string, number>();
    for (const count of counts) for (const [code, number] of count) total.set(code, (total.get(code) ?? 0) + number);
    return total;
  }
}
