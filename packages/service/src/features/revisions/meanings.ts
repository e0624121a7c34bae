import type { ReplayPolicy, RulePlacement } from '@jadefence/contract';
import { applyEdits, type Configuration, type Edit } from '@jadefence/core/edit';
import {
  describeMeaning,
  findPlacement,
  ORDER_BOUNDS,
  reviewRules,
  type MeaningChanges,
  type Review,
  type RuleState,
} from '@jadefence/core/findings';
import { ProblemError } from '../../http/problem.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import { toProblem, usableRulebook } from '../draft/check.js';
import type { Drafts } from '../draft/draft.js';
import type { DraftReviews } from '../draft/review.js';
import { checkStored } from '../draft/snapshots.js';
import type { Revisions } from './revisions.js';

/** Which kinds of requests change their outcome between two states of the rules. */
export class Meanings {
  constructor(
    private readonly drafts: Drafts,
    private readonly revisions: Revisions,
    private readonly reviews: DraftReviews,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly maxReviewSteps: number,
  ) {}

  /** @throws ProblemError where there is no such revision, or one has errors */
  async between(from: ReplayPolicy, to: ReplayPolicy): Promise<MeaningChanges> {
    const [before, after] = await Promise.all([from, to].map((policy) => this.#state(policy)));
    return this.#compare(before!, after!);
  }

  /** What publishing the draft would change. @throws ProblemError where nothing is published */
  async ofDraft(): Promise<MeaningChanges> {
    const published = await this.revisions.latestNumber();
    if (published === 0)
      throw new ProblemError('not-found', 'Nothing is published yet, so there is nothing to compare the draft with.', {
        hint: 'Publish the draft, which makes revision 1.',
      });
    return this.between(published, 'draft');
  }

  /** What edits of the draft would change in it. @throws ProblemError as the edits would */
  async ofEdits(edits: readonly Edit[]): Promise<MeaningChanges> {
    const configuration = await this.drafts.configuration();
    const edited = toProblem(() => applyEdits(configuration, edits)).configuration;
    return this.#compare(
      await this.#read(configuration, 'The draft'),
      await this.#read(edited, 'The draft after the edits'),
    );
  }

  /** What is probably wrong with a revision. @throws ProblemError where there is none */
  async reviewOf(revision: number): Promise<Review> {
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    const bounds = { ...ORDER_BOUNDS, maxSteps: this.maxReviewSteps };
    return reviewRules({ ...(await this.#state(revision)), nowUnixMs: Date.now(), referenceData, bounds });
  }

  /** Where a rule would have to be, and what moving it there changes. @throws ProblemError where there is no such rule */
  async placementOf(fence: string, rule: string): Promise<RulePlacement> {
    const { findings } = await this.reviews.current();
    const placement = findPlacement(findings, await this.drafts.rulebook(), fence, rule);
    if (!placement) throw new ProblemError('not-found', `The draft has no rule ${fence}/${rule}.`);
    const changes = placement.edit ? await this.ofEdits([placement.edit]) : undefined;
    return { ...placement, ...(changes ? { changes } : {}) };
  }

  async #state(policy: ReplayPolicy): Promise<RuleState> {
    const what = policy === 'draft' ? 'The draft' : `Revision ${policy}`;
    return this.#read(await this.revisions.configurationOf(policy), what);
  }

  async #read(configuration: Configuration, what: string): Promise<RuleState> {
    const checked = checkStored(configuration, { categories: await this.referenceSnapshots.categoryNames() });
    return {
      rulebook: usableRulebook(checked, what),
      statements: checked.files.flatMap(({ statements }) => statements),
    };
  }

  async #compare(before: RuleState, after: RuleState): Promise<MeaningChanges> {
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    return describeMeaning({ before, after }, referenceData, Date.now());
  }
}
