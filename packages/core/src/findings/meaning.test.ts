import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { checkFilter } from '../check/check-filter.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { applyEdits, type Edit } from '../edit/edit.js';
import { printCondition } from '../language/condition-text.js';
import { joinParts, splitIntoParts } from '../language/parts.js';
import { printFences } from '../language/printer.js';
import type { Condition } from '../language/tree.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest, type Request } from '../request/request.js';
import { endOfDate } from '../reference/schedule.js';
import { wideAttributes, wideFenceText } from '../test/arbitrary-fences.js';
import { CATEGORIES, COUNTRIES } from '../test/compare-evaluators.js';
import { PassingState } from './classes/passing-state.js';
import { reviewTimes } from './classes/times.js';
import { compareMeaning, MEANING_BOUNDS, type Region, type RegionCondition } from './meaning.js';
import type { RuleState } from './rule-changes.js';

const NOW = Date.parse('2026-10-23T06:00:00Z');

function stateOf(text: string): RuleState | undefined {
  const { rulebook, files } = checkFences([{ path: 'f.fence', text }], []);
  return rulebook && { rulebook, statements: files.flatMap((file) => file.statements) };
}

function timesOf(before: RuleState, after: RuleState): number[] {
  const ends = [before, after].flatMap(({ rulebook }) => [...rulebook.endsAtUnixMs.values()]);
  return reviewTimes([...before.statements, ...after.statements], before.rulebook.zone, ends, NOW);
}

const LISTS = `list office addresses { 198.18.4.0/24 }
list guests addresses { 198.18.4.7, 198.18.5.0/24 }
schedule day { mon-fri 08:00-17:00 }
`;
const GATE = 'gate shop inbound { hosts shop.example fences desk otherwise allow }';
const WIFI = 'gate wifi outbound { clients 198.18.0.0/15 fences desk otherwise allow }';

/** Each region as it reads. */
function changes(before: string, after: string): string[] {
  const [one, other] = [before, after].map((text) => stateOf(text.startsWith('list ') ? text : LISTS + text)!);
  const states = { before: one!, after: other! };
  const { regions, undecided } = compareMeaning(states, { countries: COUNTRIES }, timesOf(one!, other!));
  expect(undecided).toEqual([]);
  return regions.map(({ conditions, before: from, after: to }) => {
    const kinds = conditions.map(({ condition, hours, unknown, orUnknown, only }) =>
      [condition, ...hours, ...unknown.map((field) => `${field}?`), ...orUnknown.map((field) => `or ${field}?`), only]
        .filter((part) => part !== undefined)
        .join(' '),
    );
    const fate = ({ outcome, by, may, throttled, would }: typeof from): string =>
      [outcome, by, ...may, ...throttled, ...would.map((one) => `would ${one}`)]
        .filter((part) => part !== undefined)
        .join(' ');
    return `${kinds.join(' | ')}: ${fate(from)} -> ${fate(to)}`;
  });
}

const desk = (rules: string, gate = GATE, mode = 'enforce'): string => `${gate}\nfence desk ${mode} {\n${rules}\n}`;

describe('the difference by meaning', () => {
  const office = 'rule office allow when client in office';
  const block = 'rule x block when path under /x';

  it('of two rules in another order is what both match', () => {
    expect(changes(desk(`${office}\n${block}`), desk(`${block}\n${office}`))).toEqual([
      'path under /x and client in office: allowed desk/office -> blocked desk/x',
    ]);
  });

  it.each([
    ['a rule that an earlier one covers', desk(`${block}\nrule y block when path under /x/y`), desk(block)],
    ['names', desk(block), desk(block.replace('rule x', 'rule other'))],
    [
      'an or as two rules',
      desk('rule a block when path under /x or method = PUT'),
      desk(`${block}\nrule b block when method = PUT`),
    ],
    [
      'a list as its entries',
      desk('rule a block when client in office'),
      desk('rule a block when client in 198.18.4.0/24'),
    ],
    ['a rule that is off', desk(block), desk(`${block}\nrule b off block when always`)],
    [
      'rules in another fence',
      desk(block),
      `${GATE.replace('desk', 'desk, other')}\nfence desk enforce { }\nfence other enforce { ${block} }`,
    ],
  ])('of %s is nothing', (_, before, after) => expect(changes(before, after)).toEqual([]));

  it('of a new rule is what it matches, by what decided before', () => {
    const added = 'rule new block 451 when country = NO and method = POST during day';
    expect(changes(desk(block), desk(`${added}\n${block}`))).toEqual([
      'path under /x and country = NO and method = POST during day: blocked desk/x -> blocked desk/new',
      'country = NO and method = POST and not path under /x during day or path under /x?: allowed -> blocked desk/new',
    ]);
  });

  it('negates what ignores case as rules can', () => {
    const fox = 'rule fox allow when agent = anycase FOX';
    expect(changes(desk(fox), desk(`${fox}\nrule rest block when agent present`))).toEqual([
      'agent present and not agent = anycase FOX: allowed -> blocked desk/rest',
    ]);
  });

  it('of a list is the entries that it gained and lost', () => {
    const rule = desk('rule a block when client in guests');
    expect(changes(rule, LISTS.replace('198.18.4.7, 198.18.5.0/24', '198.18.5.0/24, 198.18.9.9') + rule)).toEqual([
      'client in 198.18.4.7: blocked desk/a -> allowed',
      'client in 198.18.9.9: allowed -> blocked desk/a',
    ]);
  });

  it('knows what a gate does not see, and what is unknown', () => {
    expect(changes(desk(block, WIFI), desk(`${block} if unknown match`, WIFI))).toEqual([
      'always path under /x? visible | always hidden: allowed -> blocked desk/x',
    ]);
  });

  it('of limits is that they may stop something else, and of trials what they would do', () => {
    const limit = (count: number): string => `rule pace limit ${count} per 1m by client when path under /x`;
    expect(changes(desk(limit(5)), desk(limit(9)))).toEqual([
      'path under /x: allowed limit 5 per 1m by client -> allowed limit 9 per 1m by client',
    ]);
    expect(changes(desk(block, GATE, 'trial'), desk(block))).toEqual([
      'path under /x: allowed would block -> blocked desk/x',
    ]);
  });

  it('of throttles is how bytes are delayed; they end nothing', () => {
    const slow = (rate: string): string => desk(`rule slow throttle ${rate} by client when path under /x\n${block}`);
    expect(changes(slow('1MB/s'), slow('2MB/s'))).toEqual([
      'path under /x: blocked desk/x throttle 1MB/s by client -> blocked desk/x throttle 2MB/s by client',
    ]);
    expect(changes(desk(block), desk('rule slow trial throttle 1MB/s by client when path under /x'))).toEqual([
      'path under /x: blocked desk/x -> allowed would throttle 1MB/s by client',
    ]);
  });

  it('of the hosts of a gate is all that another gate judges', () => {
    const wider = GATE.replace('shop.example', 'shop.example, new.example');
    expect(changes(desk(block), desk(block, wider))).toEqual([
      'path under /x: uncovered -> blocked desk/x',
      'not path under /x or path under /x?: uncovered -> allowed',
    ]);
  });
});

describe('of any two states of the rules', () => {
  it('each request that changes is in one region, and no other', () => {
    fc.assert(
      fc.property(
        wideFenceText,
        fc.array(edit, { minLength: 1, maxLength: 3 }),
        fc.array(wideAttributes, { minLength: 20, maxLength: 40 }),
        fc.constantFrom(...CATEGORIES),
        (text, edits, records, categories) => {
          const before = stateOf(text);
          const after = before && edited(text, edits);
          if (!before || !after) return;
          const data = { categories, countries: COUNTRIES };
          const { regions, undecided } = compareMeaning({ before, after }, data, timesOf(before, after), {
            ...MEANING_BOUNDS,
            maxCuts: 4000,
          });
          if (undecided.length > 0) return;
          for (const attributes of records as Attributes[]) {
            if (attributes['jade.at-gate'] != null) continue;
            const request = normalizeRequest({ line: 1, atUnixMs: NOW, attributes });
            const [from, to] = [before, after].map(({ rulebook }) => seen({ rulebook, ...data }, request));
            const holding = regions.filter((region) =>
              contains(region, { rulebook: after.rulebook, ...data }, request, [from!.gate, to!.gate]),
            );
            const doesChange = from!.text !== to!.text;
            // A fate that differs only in what may be, or would be, is not what the interpreter shows of one request.
            const isShown = holding.every(
              ({ before: one, after: other }) => one.outcome !== other.outcome || one.status !== other.status,
            );
            if (
              holding.length > 1 ||
              (doesChange && holding.length === 0) ||
              (!doesChange && holding.length > 0 && isShown)
            )
              throw new Error(
                `${doesChange} ${holding.length}: ${JSON.stringify(attributes)}\n${JSON.stringify(regions, null, 1)}\n${text}\n=>\n${printed(after)}`,
              );
          }
        },
      ),
      { numRuns: 60 },
    );
  });
});

type Choice = {
  readonly kind: 'remove' | 'move' | 'off' | 'trial' | 'mode' | 'swap';
  readonly at: number;
  readonly to: number;
};
const edit = fc.record<Choice>({
  kind: fc.constantFrom('remove', 'move', 'off', 'trial', 'mode', 'swap'),
  at: fc.nat(30),
  to: fc.nat(30),
});

function edited(text: string, choices: readonly Choice[]): RuleState | undefined {
  let { files } = checkFences([{ path: 'f.fence', text }], []);
  for (const { kind, at, to } of choices) {
    const fences = files.flatMap(({ statements }) => statements.flatMap((one) => (one.kind === 'fence' ? [one] : [])));
    const fence = fences[at % fences.length];
    const rule = fence?.rules[at % fence.rules.length];
    const other = fence?.rules[to % fence.rules.length];
    if (!fence || !rule || !other) continue;
    const base = { fence: fence.name, rule: rule.name };
    const edits: Edit[] =
      kind === 'remove'
        ? [{ kind: 'remove-rule', ...base }]
        : kind === 'off' || kind === 'trial'
          ? [{ kind: 'set-rule', ...base, state: rule.state === kind ? 'on' : kind }]
          : kind === 'mode'
            ? [{ kind: 'set-mode', fence: fence.name, mode: fence.mode === 'trial' ? 'enforce' : 'trial' }]
            : other === rule
              ? []
              : [{ kind: 'move-rule', ...base, position: { at: 'above', name: other.name } }];
    const { configuration } = applyEdits({ parts: splitIntoParts(files), namedFiles: [] }, edits);
    ({ files } = checkFences([{ path: 'f.fence', text: printFences(joinParts(configuration.parts, 'f.fence')) }], []));
  }
  return stateOf(files.map(printFences).join('\n'));
}

function printed({ statements }: RuleState): string {
  return printFences({ path: 'f.fence', statements, comments: [] });
}

function seen(context: EvaluationContext, request: Request) {
  const { outcome, status, gate } = decide(context, request, new PassingState());
  return { gate, text: JSON.stringify([outcome, status]) };
}

function contains(
  region: Region,
  context: EvaluationContext,
  request: Request,
  gates: (string | undefined)[],
): boolean {
  return (
    region.gateBefore === gates[0] &&
    region.gateAfter === gates[1] &&
    region.conditions.some((condition) => holds(condition, context, request))
  );
}

/** As rules write it: `during desk-hours until 2026-10-25`, or not so. */
function isLive(text: string, { schedules, zone }: RuleState['rulebook'], atUnixMs: number): boolean {
  const [, not, word, name, until] = /^(not )?(?:(during|outside) (\S+) ?)?(?:until (\S+))?$/.exec(text)!;
  const isInHours = name === undefined || schedules.get(name)!.contains(atUnixMs) === (word === 'during');
  const end = until === undefined ? Infinity : until.includes('T') ? Date.parse(until) : endOfDate(until, zone);
  return (isInHours && atUnixMs < end) === (not === undefined);
}

/** A condition is a conjunction; one of a field that may be unknown holds also there. */
function holds(
  { condition, hours, unknown, orUnknown, only }: RegionCondition,
  context: EvaluationContext,
  request: Request,
): boolean {
  const view = viewRequest(context, request)!;
  if (only !== undefined && (only === 'hidden') !== view.isHidden) return false;
  if (!hours.every((text) => isLive(text, context.rulebook, request.atUnixMs))) return false;
  const truthOf = (text: string, isWithUnknown: (part: Condition) => boolean): boolean => {
    if (text === 'always') return true;
    const { filter, diagnostics } = checkFilter(text, context.rulebook);
    expect(diagnostics).toEqual([]);
    const parts = filter!.condition.kind === 'and' ? filter!.condition.parts : [filter!.condition];
    const terms = { lookups: filter!.lookups, applications: context.rulebook.applications };
    return parts.every((part) => {
      const truth = evaluate(part, { view, tag: null }, terms);
      return truth === 'true' || (truth === 'unknown' && isWithUnknown(part));
    });
  };
  const isUnknown = (text: string): boolean => truthOf(text, () => true) && !truthOf(text, () => false);
  return (
    unknown.every(isUnknown) &&
    truthOf(condition, (part) => {
      const comparison = part.kind === 'not' ? part.part : part;
      return (
        comparison.kind === 'comparison' && orUnknown.includes(printCondition({ ...comparison, isNegated: false }))
      );
    })
  );
}
