import { expect, it } from 'vitest';
import type { Comparison } from '../language/tree.js';
import { feature } from './features.js';
import { Group } from './groups.js';
import { Reading } from './reading.js';
import { FALSE, TRUE, UNKNOWN } from './truth.js';

const place = { file: 'f.fence', line: 1, column: 1 };
const user = (text: string): Comparison => ({
  kind: 'comparison',
  field: 'user',
  operator: '=',
  isNegated: false,
  isAnyCase: false,
  values: [{ kind: 'text', text, place }],
  place,
});

it.each([
  ['stand in a table', 50],
  ['are searched where the table would be too large', 20_000],
])('what comparisons come to, which %s', (_, numAtoms) => {
  const NUM_CLASSES = 1000;
  const group = new Group(
    feature('user', ['user.name'], ({ attributes }) => attributes['user.name'] as string | undefined),
    {},
  );
  for (let atom = 0; atom < numAtoms; atom += 1) group.addAtom(user(`u${atom % NUM_CLASSES}`), undefined);
  const read = (name: string | undefined): number => group.read(new Reading({ 'user.name': name }));
  const classes = Array.from({ length: NUM_CLASSES }, (_, nth) => read(`u${nth}`));
  for (const [nth, number] of classes.entries()) {
    const at = nth % numAtoms;
    expect(group.degreeOf(number, at)).toBe(nth < numAtoms ? TRUE : FALSE);
    expect(group.degreeOf(number, (at + 1) % numAtoms)).toBe(FALSE);
    if (nth + NUM_CLASSES < numAtoms) expect(group.degreeOf(number, nth + NUM_CLASSES)).toBe(TRUE);
  }
  const unknown = read(undefined);
  for (const atom of [0, 15, 16, numAtoms - 1]) expect(group.degreeOf(unknown, atom)).toBe(UNKNOWN);
  expect(read('u1')).toBe(classes[1]);
});
