import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { splitIntoParts } from '../language/parts.js';
import { applyEdits, compareConfigurations, type Edit } from './index.js';
import type { Configuration } from './configuration.js';
import { applyStep, recordStep } from './step.js';

const TEXT = `list team addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
gate wifi inbound { hosts wifi.example otherwise allow }
fence desk enforce {
  rule a block when path under /a
  rule b block when path under /b
  rule c block when client in team
}
fence loose trial { rule x block when always }
`;
const { files } = checkFences([{ path: 'f.fence', text: TEXT }], []);
const START: Configuration = { parts: splitIntoParts(files), namedFiles: [] };

const edit: fc.Arbitrary<Edit> = fc.oneof(
  fc.record({
    kind: fc.constant('move-rule' as const),
    fence: fc.constant('desk'),
    rule: fc.constantFrom('a', 'b', 'c'),
    position: fc.constantFrom({ at: 'top' as const }, { at: 'bottom' as const }),
  }),
  fc.record({
    kind: fc.constant('set-rule' as const),
    fence: fc.constant('desk'),
    rule: fc.constantFrom('a', 'b', 'c'),
    state: fc.constantFrom('on' as const, 'trial' as const, 'off' as const),
  }),
  fc.record({
    kind: fc.constant('clone-rule' as const),
    fence: fc.constant('desk'),
    rule: fc.constantFrom('a', 'c'),
  }),
  fc.record({ kind: fc.constant('remove-rule' as const), fence: fc.constant('desk'), rule: fc.constant('b') }),
  fc.constantFrom<Edit>(
    { kind: 'remove', part: 'fence', name: 'loose' },
    { kind: 'put', text: 'list more countries { NO }' },
    { kind: 'put', text: 'list team addresses { 198.18.5.0/24 }' },
    { kind: 'rename', part: 'list', name: 'team', to: 'crew' },
    { kind: 'attach', gate: 'wifi', fence: 'desk', position: { at: 'top' } },
    { kind: 'put-file', path: 'p.html', text: 'x' },
    { kind: 'start-from', startingPoint: 'public-api' },
  ),
);

/** Applies those of the edits that can be made, each as a write. */
function write(start: Configuration, edits: readonly Edit[]) {
  const states = [start];
  for (const each of edits) {
    try {
      states.push(applyEdits(states.at(-1)!, [each]).configuration);
    } catch {
      // It cannot be made of what is there now.
    }
  }
  return states;
}
const stepOf = (before: Configuration, after: Configuration) =>
  recordStep(before, after, compareConfigurations(before, after));

describe('a step', () => {
  it('leads back to what was before, and forth again', () => {
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 8 }), (edits) => {
        const states = write(START, edits);
        const steps = states.slice(1).map((after, index) => stepOf(states[index]!, after));
        let now = states.at(-1)!;
        for (const step of steps.toReversed()) now = applyStep(now, step, 'undo');
        expect(now.parts).toEqual(START.parts);
        for (const step of steps) now = applyStep(now, step, 'redo');
        expect(now.parts).toEqual(states.at(-1)!.parts);
        expect(now.namedFiles).toEqual(states.at(-1)!.namedFiles);
      }),
    );
  });

  it('keeps what another user changed elsewhere meanwhile', () => {
    const [before, mine] = write(START, [{ kind: 'remove-rule', fence: 'desk', rule: 'b' }]);
    const [, both] = write(mine!, [{ kind: 'set-rule', fence: 'desk', rule: 'c', state: 'off' }]);
    const undone = applyStep(both!, stepOf(before!, mine!), 'undo');
    expect(
      undone.parts.filter(({ owner }) => owner === 'desk').map(({ text }) => text.trim().split(' ').slice(1, 3)),
    ).toEqual([
      ['a', 'block'],
      ['b', 'block'],
      ['c', 'off'],
    ]);
  });

  it('of many thousand parts is taken back in a moment', () => {
    const rules = Array.from({ length: 20_000 }, (_, rule) => `rule r${rule} block when path under /r/${rule}`);
    const text = `gate g inbound { hosts g.example fences f otherwise allow }\nfence f enforce {\n${rules.join('\n')}\n}\n`;
    const after: Configuration = {
      parts: splitIntoParts(checkFences([{ path: 'f.fence', text }], []).files),
      namedFiles: [],
    };
    const step = stepOf(START, after);
    const startedMs = performance.now();
    expect(applyStep(after, step, 'undo').parts).toEqual(START.parts);
    expect(applyStep(START, step, 'redo').parts).toEqual(after.parts);
    // Each part with each would take minutes.
    expect(performance.now() - startedMs).toBeLessThan(10_000);
  }, 120_000);

  it('is refused where what it touches has changed since', () => {
    const [before, mine] = write(START, [{ kind: 'set-rule', fence: 'desk', rule: 'c', state: 'off' }]);
    const [, theirs] = write(mine!, [{ kind: 'set-rule', fence: 'desk', rule: 'c', state: 'trial' }]);
    expect(() => applyStep(theirs!, stepOf(before!, mine!), 'undo')).toThrow(
      'Rule desk/c has changed since, so nothing was undone.',
    );
  });
});
