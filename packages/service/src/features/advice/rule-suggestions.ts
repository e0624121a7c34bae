import type { RuleSuggestions, SuggestRequest } from '@jadefence/contract';
import { freeName, type Edit } from '@jadefence/core/edit';
import { suggestRules } from '@jadefence/core/traffic';
import type { EvaluationContext } from '@jadefence/core/decide';
import type { Database } from '../../database/database.js';
import { ProblemError } from '../../http/problem.js';
import type { Drafts } from '../draft/draft.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from '../replays/context-store.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { Replays } from '../replays/replays.js';
import { StoredDecisions } from '../replays/stored-decisions.js';

/** Of a suggested rule, until a person names it. */
const NAME = 'suggested';

interface Parts {
  readonly drafts: Drafts;
  readonly replays: Replays;
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
}

/** Rules that stop chosen requests of a replay and spare the others. */
export class RuleSuggestionSearch {
  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  /** @throws ProblemError where a filter has errors, finds nothing, or finds requests that no gate covers */
  async suggest(replayId: number, { stop, spare }: SuggestRequest, signal?: AbortSignal): Promise<RuleSuggestions> {
    const { replays, pages, drafts } = this.parts;
    const replay = await replays.findDone(replayId);
    const log = await StoredDecisions.of(this.db, this.parts, replay, signal);
    const { gates, rules, ...totals } = await suggestRules(log, {
      chosen: await pages.matching(replay, stop),
      ...(spare === undefined ? {} : { spared: await pages.matching(replay, spare) }),
    });
    if (gates.size === 0)
      throw new ProblemError(
        'bad-input',
        `No request of replay ${replayId} that a gate covers satisfies: ${shorten(stop)}`,
        {
          hint: 'Choose requests by a filter, as the page of the replay does.',
        },
      );
    const place = await placeOf(drafts, log.context, gates);
    return {
      ...totals,
      rules: rules.map((rule) => {
        const text = `rule ${place?.name ?? 'suggested'} trial ${rule.action} when ${rule.condition}`;
        const edits: Edit[] = place ? [{ kind: 'add-rule', fence: place.fence, text, position: { at: 'top' } }] : [];
        return { ...rule, text, ...(place ? { fence: place.fence, edits } : {}) };
      }),
    };
  }
}

const MAX_SHOWN = 200;

function shorten(text: string): string {
  return text.length > MAX_SHOWN ? `${text.slice(0, MAX_SHOWN)} ...` : text;
}

/** The first fence of the gate that most of the chosen reached, as the draft has it, and a name that is free there. */
async function placeOf(
  drafts: Drafts,
  { rulebook }: EvaluationContext,
  gates: ReadonlyMap<string, number>,
): Promise<{ readonly fence: string; readonly name: string } | undefined> {
  const [gate] = [...gates].sort((a, b) => b[1] - a[1])[0]!;
  const now = await drafts.rulebook();
  const names = rulebook.gates.find(({ statement }) => statement.name === gate)?.fences.map(({ name }) => name) ?? [];
  const fence = now.fences.find(
    ({ name }) => names.includes(name) && name === names.find((one) => one !== 'stopped-clients'),
  );
  if (!fence) return undefined;
  const taken = new Set(fence.rules.map(({ name }) => name));
  return { fence: fence.name, name: taken.has(NAME) ? freeName(NAME, taken) : NAME };
}
