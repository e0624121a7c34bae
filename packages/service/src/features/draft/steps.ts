import type { DraftStep, DraftSteps } from '@jadefence/contract';
import { recordStep, summarizeChange, type Configuration, type StepDirection } from '@jadefence/core/edit';
import type { Change } from '@jadefence/core/language';
import type { Database, Transaction } from '../../database/database.js';
import { DraftStepModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';

/** How many steps of a user can be taken back. */
const MAX_STEPS = 50;
/** A step of more parts is an import, which the audit trail keeps. */
const MAX_STEP_PARTS = 25_000;

/** Keeps a write as the latest step of its user; what the user had undone before cannot be redone any more. */
export async function keepStep(
  trx: Transaction,
  draftId: number,
  { userId }: Actor,
  [before, after]: readonly [Configuration, Configuration],
  changes: readonly Change[],
): Promise<void> {
  const step = recordStep(before, after, changes);
  if (step.length === 0 || step.length > MAX_STEP_PARTS) return;
  await DraftStepModel.query(trx).delete().where({ draftId, userId, isUndone: true });
  await DraftStepModel.query(trx).insert({ draftId, userId, summary: summarize(changes), step });
  const oldest = await DraftStepModel.query(trx)
    .where({ draftId, userId })
    .orderBy('id', 'desc')
    .offset(MAX_STEPS)
    .first();
  if (oldest) await DraftStepModel.query(trx).delete().where({ draftId, userId }).where('id', '<=', oldest.id);
}

function summarize(changes: readonly Change[]): string {
  const words = summarizeChange(changes[0]!).replace(/\.$/, '');
  const numMore = changes.length - 1;
  if (numMore === 0) return `${words}.`;
  return `${words}, and ${numMore === 1 ? '1 more change' : `${numMore} more changes`}.`;
}

/** The step of a user that comes next in a direction. @throws ProblemError where there is none */
export async function nextStep(
  trx: Transaction,
  draftId: number,
  { userId }: Actor,
  direction: StepDirection,
): Promise<DraftStepModel> {
  const row = await findNext(trx, draftId, userId, direction);
  if (!row) throw new ProblemError('nothing-to-undo', `You have nothing to ${direction} in this draft.`);
  return row;
}

export async function markStep(trx: Transaction, id: number, direction: StepDirection): Promise<void> {
  await DraftStepModel.query(trx)
    .patch({ isUndone: direction === 'undo' })
    .where({ id });
}

export async function showSteps(db: Database, draftId: number, { userId }: Actor): Promise<DraftSteps> {
  const [undo, redo] = await Promise.all([
    findNext(db, draftId, userId, 'undo'),
    findNext(db, draftId, userId, 'redo'),
  ]);
  return { undo: present(undo), redo: present(redo) };
}

function present(row: DraftStepModel | undefined): DraftStep | null {
  return row ? { summary: row.summary, at: row.createdAt.toISOString() } : null;
}

/** The latest that is not undone, or the earliest that is. */
async function findNext(
  db: Database,
  draftId: number,
  userId: number | null,
  direction: StepDirection,
): Promise<DraftStepModel | undefined> {
  const isUndone = direction === 'redo';
  return DraftStepModel.query(db)
    .where({ draftId, userId, isUndone })
    .orderBy('id', isUndone ? 'asc' : 'desc')
    .first();
}
