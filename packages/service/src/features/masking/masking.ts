import type { Masking as MaskingState } from '@jadefence/contract';
import { checkMask, MaskError, printMask, requireDistinct, type Mask } from '@jadefence/core/masking';
import { generateMaskKey, KeyedMasker } from '@jadefence/files';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { SettingModel } from '../../database/models.js';
import type { AnswerPresenter } from '../../http/answer.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { Route } from '../../http/route.js';
import { isMaskable, maskAnswer } from './mask-answer.js';

const MASKS = 'masks';
/** Of pseudonyms; with another key all of them change. */
const KEY = 'mask-key';

/** Which fields of requests are masked in everything that leaves the service, unless the caller is unmasked. */
export class Masking implements AnswerPresenter {
  constructor(private readonly db: Database) {}

  async show({ isUnmasked = false }: Actor, unmaskedUntilUnixMs?: number): Promise<MaskingState> {
    const masks = await this.#masks();
    const until = isUnmasked && unmaskedUntilUnixMs !== undefined ? new Date(unmaskedUntilUnixMs).toISOString() : null;
    return { masks, isUnmasked, unmaskedUntil: until };
  }

  /** Replaces all masks. @throws ProblemError where one does not fit its field, or a field has two */
  async set(masks: readonly Mask[], actor: Actor): Promise<MaskingState> {
    const checked = checkMasks(masks);
    await inTransaction(this.db, async (trx) => {
      await SettingModel.query(trx).insert({ key: KEY, value: generateMaskKey() }).onConflict('key').ignore();
      await SettingModel.query(trx)
        .insert({ key: MASKS, value: JSON.stringify(checked) })
        .onConflict('key')
        .merge();
      await recordChange(trx, {
        userId: actor.userId,
        what: 'masking.set',
        detail: { masks: checked.map(printMask) },
      });
    });
    return this.show(actor);
  }

  async recordUnmask(actor: Actor, detail: { readonly minutes: number; readonly reason: string }): Promise<void> {
    await inTransaction(this.db, (trx) => recordChange(trx, { userId: actor.userId, what: 'unmask', detail }));
  }

  /** @returns undefined where nothing is masked for the caller */
  async maskerFor(actor: Actor | undefined): Promise<KeyedMasker | undefined> {
    if (actor?.isUnmasked) return undefined;
    const masks = await this.#masks();
    if (masks.length === 0) return undefined;
    const { value: key } = await SettingModel.query(this.db).findById(KEY).throwIfNotFound();
    return new KeyedMasker(masks, key);
  }

  async present({ answer }: Route, actor: Actor | undefined, value: unknown): Promise<unknown> {
    if (!isMaskable(answer)) return value;
    const masker = await this.maskerFor(actor);
    return masker ? maskAnswer(answer, value, masker) : value;
  }

  async #masks(): Promise<readonly Mask[]> {
    const stored = await SettingModel.query(this.db).findById(MASKS);
    return stored ? (JSON.parse(stored.value) as Mask[]) : [];
  }
}

function checkMasks(masks: readonly Mask[]): Mask[] {
  try {
    return requireDistinct(masks.map(checkMask));
  } catch (error) {
    if (!(error instanceof MaskError)) throw error;
    throw new ProblemError('bad-input', error.message, { hint: error.hint });
  }
}
