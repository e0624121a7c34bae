/** The two replays of a comparison, opened together. */
import type { Ruling } from '@jadefence/core/decide';
import { DecisionComparison } from '@jadefence/core/replay';
import type { ReplayModel } from '../../database/models.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { EvaluationInputs } from '../replays/context-store.js';

export async function openSides(
  pages: DecisionPages,
  judges: EvaluationInputs,
  before: ReplayModel,
  after: ReplayModel,
): Promise<DecisionComparison> {
  const [was, is] = await Promise.all([pages.rulings(before.id), pages.rulings(after.id)]);
  const [sentBefore, sentAfter] = await Promise.all([redirectsOf(judges, before, was), redirectsOf(judges, after, is)]);
  return new DecisionComparison(was, is, { before: sentBefore, after: sentAfter });
}

/** Where the rulings of a replay send requests. */
export async function redirectsOf(
  judges: EvaluationInputs,
  replay: ReplayModel,
  rulings: readonly Ruling[],
): Promise<(ruling: Ruling) => string | undefined> {
  const targets = await judges.redirects(replay, rulings);
  const byRuling = new Map(rulings.map((ruling, index) => [ruling, targets[index]]));
  return (ruling) => byRuling.get(ruling) ?? undefined;
}
