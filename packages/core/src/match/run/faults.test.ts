import { afterEach, describe, expect, it, vi } from 'vitest';
import { State } from '../../decide/state.js';
import { View } from '../../decide/view.js';
import { compareEvaluators } from '../../test/compare-evaluators.js';
import type { Address } from '../../request/address.js';
import { AddressIndex } from '../index/address-index.js';
import { AtomIndex } from '../index/atoms.js';
import { DomainIndex } from '../index/domain-index.js';
import { Partition } from '../rows/partitions.js';
import { KeyFeature, UNKNOWN_KEY } from '../features/keys.js';
import { CounterStore } from '../counters/counter-store.js';
import { Program } from '../compile/program.js';
import { AttributeReader } from '../features/attribute-reader.js';
import { NO_CANDIDATE, Stage } from '../compile/stage.js';
import { TextIndex } from '../index/text-index.js';
import { Trace } from '../compile/trace.js';

function causeOf(act: () => void): string {
  try {
    act();
  } catch (error) {
    return String((error as Error).cause);
  }
  return 'nothing was found';
}

describe('a fault in either side is found', () => {
  afterEach(() => vi.restoreAllMocks());

  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- methods of every shape
  type Method = any;
  /** Replaces a method by one that is made from it. */
  const spoil = <T extends object, K extends keyof T & string>(
    of: T,
    method: K,
    make: (original: Method) => Method,
  ): void => {
    const original = of[method] as (...given: unknown[]) => unknown;
    const spoiled = make(original) as (this: T, ...given: unknown[]) => unknown;
    vi.spyOn(of as Record<string, Method>, method).mockImplementation(function (this: T, ...given: unknown[]) {
      return spoiled.apply(this, given);
    });
  };

  it.each<[string, () => void]>([
    [
      'an unknown value satisfies nothing',
      () =>
        spoil(
          AtomIndex.prototype,
          'collect',
          (evaluate) =>
            function (this: AtomIndex, value: unknown, received: unknown) {
              if (value !== undefined) evaluate.call(this, value, received);
            },
        ),
    ],
    [
      'a set of domains holds the name without those below',
      () =>
        spoil(
          DomainIndex.prototype,
          'add',
          (add) =>
            function (this: DomainIndex, atom: number, operator: string, ...rest: unknown[]) {
              if (operator !== 'under') add.call(this, atom, operator, ...rest);
            },
        ),
    ],
    [
      'exceptions from addresses are ignored',
      () =>
        spoil(
          AddressIndex.prototype,
          'collect',
          (evaluate) =>
            function (this: AddressIndex, address: Address, receive: unknown) {
              return evaluate.call(this, address.keepBits(30, 126), receive);
            },
        ),
    ],
    [
      'text is compared in one case only',
      () =>
        spoil(
          TextIndex.prototype,
          'collect',
          (evaluate) =>
            function (this: TextIndex, text: string, receive: unknown) {
              return evaluate.call(this, text.toLowerCase(), receive);
            },
        ),
    ],
    [
      'the last rule that a value leads to is lost',
      () =>
        spoil(
          Stage.prototype,
          'candidateListFor',
          (listFor) =>
            function (this: Stage, leading: number, number: number) {
              const start = listFor.call(this, leading, number);
              const end = this.candidates.indexOf(NO_CANDIDATE, start);
              if (end > start) this.candidates[end - 1] = NO_CANDIDATE;
              return start;
            },
        ),
    ],
    [
      'tags of trial rules are seen by all',
      () =>
        spoil(
          Trace.prototype,
          'tagsAt',
          (tagsAt) =>
            function (this: Trace, place: number) {
              const { byAll } = tagsAt.call(this, place);
              return { byActing: byAll, byAll };
            },
        ),
    ],
    [
      'a limit lets one more pass',
      () =>
        spoil(
          CounterStore.prototype,
          'count',
          (count) =>
            function (this: CounterStore, ...[limit, key, at, window]: Parameters<CounterStore['count']>) {
              return count.call(this, limit, key, at, { ...window, max: window.max + 1 });
            },
        ),
    ],
    [
      'a window holds its own beginning',
      () =>
        spoil(
          State.prototype,
          'count',
          (count) =>
            function (this: State, key: string, at: number, limit: { windowMs: number }) {
              return count.call(this, key, at, { ...limit, windowMs: limit.windowMs + 1 });
            },
        ),
    ],
    [
      'an unknown key is counted like another',
      () =>
        spoil(
          KeyFeature.prototype,
          'read',
          (read) =>
            function (this: KeyFeature, reading: AttributeReader) {
              const number = read.call(this, reading);
              const another = new AttributeReader({ ...reading.attributes, 'user.name': 'x' });
              return number === UNKNOWN_KEY ? read.call(this, another) : number;
            },
        ),
    ],
    [
      'what is encrypted is seen',
      () =>
        spoil(
          Program.prototype,
          'stageOf',
          (stageOf) =>
            function (this: Program, seat: unknown) {
              const stage = stageOf.call(this, seat);
              return stage > 1 && this.stages[stage >> 1]!.stage.isHidden ? stage - 2 : stage;
            },
        ),
    ],
    [
      'the interpreter takes none for unknown',
      () =>
        spoil(
          View.prototype,
          'get',
          (get) =>
            function (this: View, ...given: unknown[]) {
              return get.call(this, ...given) ?? undefined;
            },
        ),
    ],
    [
      'classes that differ are taken for one',
      () =>
        spoil(
          Partition.prototype,
          'truthOf',
          (truthOf) =>
            function (this: Partition, number: number, atom: number) {
              return truthOf.call(this, number > 0 ? number - 1 : number, atom);
            },
        ),
    ],
  ])(
    '%s',
    (_, seed) => {
      seed();
      // Found as two decisions that differ, not as something that broke.
      expect(
        causeOf(() =>
          compareEvaluators({ numRuns: 500, seed: 4711, endOnFailure: true, interruptAfterTimeLimit: 60_000 }),
        ),
      ).toMatch(/to deeply equal/);
    },
    60_000,
  );
});
