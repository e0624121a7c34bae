import { describe, expect, it } from 'vitest';
import type { DatasetModel, SourceModel } from '../../database/models.js';
import { computeFreshness } from './freshness.js';

const NOW = new Date('2026-11-23T12:00:00Z');
const before = (days: number): Date => new Date(NOW.getTime() - days * 86_400_000);
const dataset = (imported: number, built?: number): DatasetModel =>
  ({ importedAt: before(imported), builtAt: built === undefined ? null : before(built) }) as DatasetModel;
const source = (succeeded: number | null, failure: string | null = null): SourceModel =>
  ({ succeededAt: succeeded === null ? null : before(succeeded), checkedAt: before(0), failure }) as SourceModel;

describe('reference data', () => {
  it.each<[DatasetModel | undefined, SourceModel | undefined, string]>([
    [undefined, undefined, 'missing: There is none yet.'],
    [dataset(0.5), undefined, 'fresh: It was imported less than a day ago.'],
    [dataset(1), undefined, 'fresh: It was imported a day ago.'],
    [dataset(29.9), undefined, 'fresh: It was imported 29 days ago.'],
    [dataset(30), undefined, 'ageing: It was imported 30 days ago.'],
    [dataset(89.9), undefined, 'ageing: It was imported 89 days ago.'],
    [dataset(90), undefined, 'stale: It was imported 90 days ago.'],
    // Its own build time takes precedence over its time of import.
    [dataset(1, 40), undefined, 'ageing: It was built 40 days ago.'],
    // And its source before both.
    [dataset(200, 400), source(2), 'fresh: It was found current 2 days ago.'],
    [
      dataset(1),
      source(2, 'it answered 503.'),
      'failed: The refresh of 2026-11-23T12:00:00.000Z failed: it answered 503.',
    ],
    [undefined, source(null, 'it is gone.'), 'failed: The refresh of 2026-11-23T12:00:00.000Z failed: it is gone.'],
  ])('%#', (datasetModel, from, expected) => {
    const { state, reason } = computeFreshness(datasetModel, from, NOW);
    expect(`${state}: ${reason}`).toBe(expected);
  });
});
