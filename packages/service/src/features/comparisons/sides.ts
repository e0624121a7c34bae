/** The two replays of a comparison, opened together. */
import type { Ruling } from '@jadefence/core/decide';
import { DecisionComparison } from '@jadefence/core/replay';
import type { Database } from '../../database/database.js';
import { ReplayChunkModel, type ReplayModel } from '../../database/models.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { EvaluationInputs } from '../replays/context-store.js';

export async function openSides(
  pages: DecisionPages,
  judges: EvaluationInputs,
  before: ReplayModel,
  after: ReplayModel,
): Promise<DecisionComparison> {
  const [was, is] = await Promise.all([pages.rulings(before.id), pages.rulings(after.id)]);
  const [wasSent, isSent] = await Promise.all([judges.redirects(before, was), judges.redirects(after, is)]);
  const lookup = (rulings: readonly Ruling[], sentTo: readonly (string | null)[]) => {
    const byRuling = new Map(rulings.map((ruling, index) => [ruling, sentTo[index]]));
    return (ruling: Ruling): string | undefined => byRuling.get(ruling) ?? undefined;
  };
  return new DecisionComparison(was, is, { before: lookup(was, wasSent), after: lookup(is, isSent) });
}

/** The chunks that a replay judged, in order. */
export async function chunksOf(db: Database, replay: ReplayModel): Promise<number[]> {
  const chunks = await ReplayChunkModel.query(db).select('chunk').where({ replayId: replay.id }).orderBy('chunk');
  return chunks.map(({ chunk }) => chunk);
}
