import type { FreshnessInfo } from '@jadefence/contract';
import type { DatasetModel, SourceModel } from '../../database/models.js';

const DAY_MS = 86_400_000;
/** Addresses change hands every month, so a table of a season ago is wrong here and there. */
const AGEING_DAYS = 30;
const STALE_DAYS = 90;

/** How old a dataset is: since its source last confirmed it, else since it was built or imported. */
export function computeFreshness(
  dataset: DatasetModel | undefined,
  source: SourceModel | undefined,
  now: Date,
): FreshnessInfo {
  if (source?.failure)
    return {
      state: 'failed',
      reason: `The refresh of ${source.checkedAt?.toISOString() ?? 'late'} failed: ${source.failure}`,
    };
  if (!dataset) return { state: 'missing', reason: 'There is none yet.' };
  const since = source?.succeededAt ?? dataset.builtAt ?? dataset.importedAt;
  const days = Math.floor((now.getTime() - since.getTime()) / DAY_MS);
  const what = source?.succeededAt ? 'It was found current' : dataset.builtAt ? 'It was built' : 'It was imported';
  const age = days < 1 ? 'less than a day ago' : days === 1 ? 'a day ago' : `${days} days ago`;
  const state = days >= STALE_DAYS ? 'stale' : days >= AGEING_DAYS ? 'ageing' : 'fresh';
  return { state, reason: `${what} ${age}.` };
}
