import type { CategoryLookup, CategoryOverview, FeedInfo } from '@jadefence/contract';
import { siteOf } from '@jadefence/core/decide';
import { recordChange } from '../../database/audit.js';
import { DatasetModel, FeedModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { readSite } from '../corrections/corrections.js';
import type { Datasets } from '../../reference/datasets.js';
import { computeFreshness } from '../sources/freshness.js';
import type { Sources } from '../sources/sources.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';

/** The category feeds, their order, and their answers for a site. */
export class CategoryFeeds {
  constructor(
    private readonly datasets: Datasets,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly sources: Sources,
  ) {}

  async overview(): Promise<CategoryOverview> {
    const active = await this.referenceSnapshots.feeds();
    const feeds = await Promise.all(
      active.map(async (dataset): Promise<FeedInfo> => ({
        name: dataset.name,
        dataset: await this.datasets.present(dataset),
        freshness: computeFreshness(dataset, await this.sources.of('category', dataset.name), new Date()),
      })),
    );
    const byName = new Map<string, { numEntries: number; feeds: string[] }>();
    for (const { name: feed, stats } of active)
      for (const { name, numEntries } of stats.categories ?? []) {
        const category = byName.get(name) ?? { numEntries: 0, feeds: [] };
        byName.set(name, { numEntries: category.numEntries + numEntries, feeds: [...category.feeds, feed] });
      }
    const categories = [...byName].map(([name, category]) => ({ name, ...category }));
    return { feeds, categories: categories.sort((a, b) => (a.name < b.name ? -1 : 1)) };
  }

  /** @throws ProblemError where the text is no domain or URL, or there is no feed */
  async lookup(text: string): Promise<CategoryLookup> {
    const { host, path } = readSite(text.trim().replace(/[?#].*$/, ''));
    const { referenceData: referenceData } = await this.referenceSnapshots.loadCurrent();
    if (!referenceData.categories)
      throw new ProblemError('not-found', 'There is no category feed yet.', {
        hint: 'Import one with jadefence category import FILE.',
      });
    // A domain is looked up as its start page.
    const requested = path ?? '/';
    const answer = referenceData.categories.find(host, requested);
    const evidence = answer.isCorrected
      ? `by a correction of ${answer.entry}`
      : answer.feed === undefined
        ? 'no feed knows it'
        : `by ${answer.feed}, entry ${answer.entry}`;
    return {
      requested: text.trim(),
      host,
      path: path ?? null,
      site: siteOf(host) ?? null,
      categories: answer.categories,
      evidence,
      answers: referenceData.categories.findAll(host, requested).map(({ categories, feed, isCorrected, entry }) => ({
        categories,
        feed: feed ?? null,
        isCorrected,
        entry: entry!,
      })),
    };
  }

  /** Puts the feeds in an order; the first that knows a request decides. @throws ProblemError where a name is missing or unknown */
  async order(names: readonly string[], actor: Actor): Promise<CategoryOverview> {
    await this.datasets.change(async (trx) => {
      const before = (await FeedModel.query(trx).orderBy('position')).map(({ name }) => name);
      if (names.length !== before.length || before.some((name) => !names.includes(name)))
        throw new ProblemError('bad-input', `The feeds are ${before.join(', ')}; expected each of them once.`);
      for (const [index, name] of names.entries())
        await FeedModel.query(trx)
          .patch({ position: index + 1 })
          .where({ name });
      await recordChange(trx, { userId: actor.userId, what: 'category.order', detail: { before, after: names } });
    });
    return this.overview();
  }

  /** Takes a feed out; its datasets stay for the replays that depend on them. @throws ProblemError when there is none */
  async remove(name: string, actor: Actor): Promise<void> {
    await this.datasets.change(async (trx) => {
      if ((await FeedModel.query(trx).deleteById(name)) === 0)
        throw new ProblemError('not-found', `There is no category feed "${name}".`);
      await DatasetModel.query(trx).patch({ isActive: false }).where({ kind: 'category', name });
      await recordChange(trx, { userId: actor.userId, what: 'category.remove', detail: { feed: name } });
    });
  }
}
