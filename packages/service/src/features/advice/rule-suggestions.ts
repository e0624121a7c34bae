import type { RuleSuggestions, SuggestRequest } from '@jadefence/contract';
import { freeName, type Edit } from '@jadefence/core/edit';
import { CHOSEN, OTHER, ProposalCounter, RuleSearch, SPARED } from '@jadefence/core/traffic';
import type { EvaluationContext } from '@jadefence/core/decide';
import type { Database } from '../../database/database.js';
import { ProblemError } from '../../http/problem.js';
import type { Drafts } from '../draft/draft.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from '../replays/context-store.js';
import { decidedChunks, type DecidedChunk } from '../replays/decided-chunks.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { Replays } from '../replays/replays.js';

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
    const { replays, pages, judges, drafts } = this.parts;
    const replay = await replays.findDone(replayId);
    const context = await judges.judge(replay);
    const rulings = await pages.rulings(replay.id);
    const chosen = await pages.matching(replay, stop);
    const spared = spare === undefined ? undefined : await pages.matching(replay, spare);
    const gates = new Map<string, number>();
    const search = new RuleSearch(context);
    const chunks = (attributes: readonly string[]) => decidedChunks(this.db, this.parts, replay, attributes, signal);
    const purposesIn = ({ chunk, codes }: DecidedChunk): Uint8Array =>
      purposesOf(codes.length, chosen.get(chunk), spared?.get(chunk), spare !== undefined);
    for await (const one of chunks(search.attributes)) {
      for (const row of chosen.get(one.chunk) ?? []) {
        const { gate } = rulings[one.codes[row]!]!;
        if (gate !== undefined) gates.set(gate, (gates.get(gate) ?? 0) + 1);
      }
      search.add(one.rows, one.codes, rulings, purposesIn(one));
    }
    if (gates.size === 0)
      throw new ProblemError('bad-input', `No request of replay ${replayId} that a gate covers satisfies: ${stop}`, {
        hint: 'Choose requests by a filter, as the page of the replay does.',
      });
    const counter = new ProposalCounter(context, search.propose());
    for await (const one of chunks(counter.attributes)) counter.add(one.rows, one.codes, purposesIn(one));
    const { rules, ...totals } = counter.result();
    const place = await placeOf(drafts, context, gates);
    return {
      ...totals,
      rules: rules.map((rule) => {
        const text = `rule ${place?.name ?? 'suggested'} trial block when ${rule.condition}`;
        const edits: Edit[] = place ? [{ kind: 'add-rule', fence: place.fence, text, position: { at: 'top' } }] : [];
        return { ...rule, text, ...(place ? { fence: place.fence, edits } : {}) };
      }),
    };
  }
}

/** What each row of a chunk is for; without a filter for what is to be spared, all others are. */
function purposesOf(
  numRows: number,
  chosen: Uint32Array | undefined,
  spared: Uint32Array | undefined,
  hasSpared: boolean,
): Uint8Array {
  const purposes = new Uint8Array(numRows).fill(hasSpared ? OTHER : SPARED);
  for (const row of spared ?? []) purposes[row] = SPARED;
  for (const row of chosen ?? []) purposes[row] = CHOSEN;
  return purposes;
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
