import fc from 'fast-check';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { checkFilter } from '../check/check-filter.js';
import type { Rulebook } from '../check/rulebook.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import type { View } from '../decide/view.js';
import {
  claimsByCounting,
  outcomeIn,
  readSmallRules,
  smallRules,
  UNIVERSE,
  UNIVERSE_NOW,
} from '../test/small-universe.js';
import type * as BoxesModule from './classes/boxes.js';
import type * as SweepModule from './classes/address-sweep.js';
import type * as ValuesModule from './classes/values.js';
import type * as FormsModule from './classes/forms.js';
import type * as IndexModule from './classes/rule-index.js';
import type * as CandidatesModule from './classes/candidates.js';
import type * as ChangesModule from './rule-changes.js';
import type * as CoverModule from './classes/cover.js';
import type * as ExampleModule from './classes/example.js';
import type * as FollowModule from './classes/follow.js';
import type * as NodesModule from '../match/compile/nodes.js';
import type * as TreeModule from '../language/tree.js';
import type { RegionCondition } from './meaning.js';
import { ORDER_BOUNDS, type OrderBounds } from './order.js';

/** The analysis, loaded anew where one of its parts is replaced. */
async function load() {
  const [{ reviewOrder }, { compareMeaning }] = await Promise.all([import('./order.js'), import('./meaning.js')]);
  return { reviewOrder, compareMeaning };
}

type Loaded = Awaited<ReturnType<typeof load>>;

/** What a review claims that is not so, or does not claim that is. */
function wrongClaims(
  { reviewOrder }: Loaded,
  text: string,
  counted = claimsByCounting(readSmallRules(text).context),
  bounds: Partial<OrderBounds> = {},
): string[] {
  const { context } = readSmallRules(text);
  const { claims, undecided } = reviewOrder(context, [UNIVERSE_NOW], { ...ORDER_BOUNDS, ...bounds });
  const claimed = new Set(
    claims.filter(({ id }) => id !== 'redirect-loop').map(({ id, fence, rule }) => `${id} ${fence.name}/${rule.name}`),
  );
  return [
    ...[...counted].filter((claim) => !claimed.has(claim)).map((claim) => `missing: ${claim}`),
    ...[...claimed].filter((claim) => !counted.has(claim)).map((claim) => `wrong: ${claim}`),
    ...undecided.map(({ rule }) => `undecided: ${rule}`),
  ];
}

/** Requests of the universe that change and are in no region or in several, or do not change and are in one. */
function wrongRegions({ compareMeaning }: Loaded, before: string, after: string): string[] {
  const [one, other] = [readSmallRules(before), readSmallRules(after)];
  const states = {
    before: { rulebook: one.context.rulebook, statements: one.statements },
    after: { rulebook: other.context.rulebook, statements: other.statements },
  };
  const { regions, undecided } = compareMeaning(states, {}, [UNIVERSE_NOW]);
  // What trials would do is reported with their names by the interpreter, and by their actions here.
  const visible = regions.filter(
    ({ before: from, after: to }) =>
      from.outcome !== to.outcome || from.status !== to.status || from.target !== to.target,
  );
  const filters = visible.map(({ conditions }) =>
    conditions.map((condition) => readRegion(condition, other.context.rulebook)),
  );
  // Where conditions are left out since they are too many, that is reported, and those that are written are right.
  const isAnyPartial = visible.some(({ isPartial }) => isPartial);
  return [
    ...undecided.map(({ reason }) => reason).filter((reason) => !reason.startsWith('more requests change')),
    ...UNIVERSE.flatMap((request) => {
      const view = viewRequest(other.context, request);
      if (!view) return [];
      const numHolding = filters.filter((some) => some.some((holds) => holds(view))).length;
      const doesChange = outcomeIn(one.context, request, false) !== outcomeIn(other.context, request, false);
      const isRight = numHolding === Number(doesChange) || (isAnyPartial && numHolding === 0);
      return isRight ? [] : [`${numHolding} regions: ${JSON.stringify(request.attributes)}`];
    }),
  ];
}

/** Whether a request is in a part of a region: a conjunction, of which some comparisons hold where they are unknown, too. */
function readRegion({ condition, unknown, orUnknown }: RegionCondition, rulebook: Rulebook): (view: View) => boolean {
  const parse = (text: string) => {
    if (text === 'always') return () => 'true' as const;
    const { filter } = checkFilter(text, rulebook);
    const terms = { lookups: filter!.lookups, applications: [] };
    return (view: View) => evaluate(filter!.condition, { view, tag: null }, terms);
  };
  const parts = condition.split(' and ').map((text) => ({
    truthOf: parse(text.startsWith('(') || !text.endsWith(')') ? text : `(${text}`),
    isWithUnknown: orUnknown.some((one) => text === `not ${one}` || negated(one) === text || one === text),
  }));
  const unknowns = unknown.map(parse);
  return (view) =>
    unknowns.every((truthOf) => truthOf(view) === 'unknown') &&
    parts.every(({ truthOf, isWithUnknown }) => {
      const truth = truthOf(view);
      return truth === 'true' || (isWithUnknown && truth === 'unknown');
    });
}

function negated(text: string): string {
  return text.replace(' = ', ' != ').replace(/ in /, ' not in ').replace(' present', ' absent');
}

afterEach(() => vi.resetModules());

describe('over every request of a small universe', () => {
  it('the claims of a review are those that counting finds', async () => {
    const loaded = await load();
    fc.assert(
      fc.property(smallRules, (text) => {
        expect(wrongClaims(loaded, text), text).toEqual([]);
      }),
      { numRuns: 150 },
    );
  });

  it('a review that is given up early claims nothing else, and reports of which rules it knows less', async () => {
    const loaded = await load();
    const bounds = fc.record({ maxCuts: fc.integer({ min: 0, max: 12 }), maxSteps: fc.integer({ min: 0, max: 2000 }) });
    fc.assert(
      fc.property(smallRules, bounds, (text, some) => {
        const wrong = wrongClaims(loaded, text, undefined, some);
        const open = wrong.filter((line) => line.startsWith('undecided: ')).map((line) => line.split(' ')[1]);
        expect(
          wrong.filter((line) => !line.startsWith('undecided: ') && !open.includes(line.split(' ')[2])),
          text,
        ).toEqual([]);
        expect(wrong.filter((line) => line.startsWith('wrong: '))).toEqual([]);
      }),
      { numRuns: 100 },
    );
  });

  it('each request that changes is in one region, and no other', async () => {
    const loaded = await load();
    fc.assert(
      fc.property(smallRules, smallRules, (before, after) => {
        expect(wrongRegions(loaded, before, after), `${before}\n=>\n${after}`).toEqual([]);
      }),
      { numRuns: 150 },
    );
  });
});

type Module = Record<string, unknown>;
type Fault = readonly [what: string, path: string, replace: (original: never) => Module];
const fault = <M>(what: string, path: string, replace: (original: M) => Partial<M>): Fault => [
  what,
  path,
  replace as (original: never) => Module,
];

const FAULTS: readonly Fault[] = [
  fault<typeof BoxesModule>('half of a cut is lost', './classes/boxes.js', ({ cut }) => ({
    cut: (formula, box) => {
      const halves = cut(formula, box);
      return halves && [halves[0], halves[0]];
    },
  })),
  fault<typeof BoxesModule>('what is open is taken to be true', './classes/boxes.js', ({ truthsIn, CAN_TRUE }) => ({
    truthsIn: (formula, box) => {
      const truths = truthsIn(formula, box);
      return (truths & CAN_TRUE) === 0 ? truths : CAN_TRUE;
    },
  })),
  fault<typeof SweepModule>(
    'only the first class of addresses is found',
    './classes/address-sweep.js',
    ({ AddressSweep }) => ({
      AddressSweep: class extends AddressSweep {
        override addressesOf(...given: Parameters<SweepModule.AddressSweep['addressesOf']>): readonly string[] {
          return super.addressesOf(...given).slice(0, 1);
        }
      },
    }),
  ),
  fault<typeof ValuesModule>('no path below another', './classes/values.js', ({ pathsOf }) => ({
    pathsOf: (...given) => pathsOf(...given).filter((one) => !/below|x$/.test(one)),
  })),
  fault<typeof ValuesModule>('no number behind another', './classes/values.js', () => ({
    boundaryNumbers: () => [443],
  })),
  fault<typeof FormsModule>(
    'no requests of which only the server name is known',
    './classes/forms.js',
    ({ formBoxes }) => ({
      formBoxes: (axes, isWanted) => formBoxes(axes, (name, one) => one.kind !== 'server-name' && isWanted(name, one)),
    }),
  ),
  fault<typeof IndexModule>(
    'the first rule is passed over',
    './classes/rule-index.js',
    ({ isCandidate, nextCandidate, candidatesBelow }) => ({
      isCandidate: (candidates, rule) => rule !== 0 && isCandidate(candidates, rule),
      nextCandidate: (candidates, from) => nextCandidate(candidates, Math.max(from, 1)),
      candidatesBelow: (candidates, to) => candidatesBelow(candidates, to).filter((rule) => rule !== 0),
    }),
  ),
  fault<typeof CandidatesModule>('nothing that a log lacks', './classes/candidates.js', ({ candidatesOf }) => ({
    candidatesOf: (...given) => {
      const { candidates, isInexact } = candidatesOf(...given);
      return {
        candidates: [...candidates].filter(({ settings }) => !Object.values(settings).includes(undefined)),
        isInexact,
      };
    },
  })),
  fault<typeof ExampleModule>('no request can be made', './classes/example.js', () => ({
    makeExample: () => undefined,
  })),
  fault<typeof NodesModule>('a negation is passed over', '../match/compile/nodes.js', ({ compileCondition }) => ({
    compileCondition: (condition, terms) =>
      compileCondition(condition.kind === 'not' ? condition.part : condition, terms),
  })),
  fault<typeof ChangesModule>(
    'one of the rules that differ is not looked at',
    './rule-changes.js',
    ({ changedFormulas }) => ({
      changedFormulas: (...given) => changedFormulas(...given).slice(1),
    }),
  ),
  fault<typeof CoverModule>('a part of a region is not written', './classes/cover.js', ({ coverBoxes }) => ({
    coverBoxes: (...given) => coverBoxes(...given).slice(1),
  })),
  fault<typeof FollowModule>('only a part of the requests is followed', './classes/follow.js', ({ follow }) => ({
    *follow(...given) {
      for (const part of follow(...given)) {
        yield part;
        return;
      }
    },
  })),
  fault<typeof TreeModule>('a redirection does not end', '../language/tree.js', ({ ACTION_TRAITS }) => ({
    ACTION_TRAITS: { ...ACTION_TRAITS, redirect: { effect: 'none' } },
  })),
];

describe('counting finds', () => {
  const samples = fc
    .sample(smallRules, { seed: 7, numRuns: 30 })
    .map((text) => ({ text, counted: claimsByCounting(readSmallRules(text).context) }));

  const isFoundBy = (loaded: Loaded): boolean =>
    samples.some(({ text, counted }, at) => {
      const after = samples[(at + 1) % samples.length]!.text;
      return wrongClaims(loaded, text, counted).length > 0 || wrongRegions(loaded, text, after).length > 0;
    });

  it('nothing where there is no fault', async () => {
    expect(isFoundBy(await load())).toBe(false);
  });

  it.each(FAULTS)('the fault: %s', async (_, path, replace) => {
    vi.doMock(path, async (importOriginal) => {
      const original = await importOriginal<Module>();
      return { ...original, ...replace(original as never) };
    });
    try {
      const loaded = await load();
      // A fault that ends the analysis is found, too.
      const found = ((): boolean => {
        try {
          return isFoundBy(loaded);
        } catch {
          return true;
        }
      })();
      expect(found).toBe(true);
    } finally {
      vi.doUnmock(path);
    }
  });
});
