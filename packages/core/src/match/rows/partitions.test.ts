import { expect, it } from 'vitest';
import type { Comparison } from '../../language/tree.js';
import { feature } from '../features/features.js';
import { Partition } from './partitions.js';
import { AttributeReader } from '../features/attribute-reader.js';
import { FALSE, TRUE, UNKNOWN } from '../features/truth.js';

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
  ['are in a table', 50],
  ['are searched where the table would be too large', 20_000],
])('truth values, which %s', (_, numAtoms) => {
  const NUM_CLASSES = 1000;
  const partition = new Partition(
    feature('user', ['user.name'], ({ attributes }) => attributes['user.name'] as string | undefined),
    {},
  );
  for (let atom = 0; atom < numAtoms; atom += 1) partition.addAtom(user(`u${atom % NUM_CLASSES}`), undefined);
  const read = (name: string | undefined): number => partition.read(new AttributeReader({ 'user.name': name }));
  const classes = Array.from({ length: NUM_CLASSES }, (_, nth) => read(`u${nth}`));
  for (const [nth, number] of classes.entries()) {
    const at = nth % numAtoms;
    expect(partition.truthOf(number, at)).toBe(nth < numAtoms ? TRUE : FALSE);
    expect(partition.truthOf(number, (at + 1) % numAtoms)).toBe(FALSE);
    if (nth + NUM_CLASSES < numAtoms) expect(partition.truthOf(number, nth + NUM_CLASSES)).toBe(TRUE);
  }
  const unknown = read(undefined);
  for (const atom of [0, 15, 16, numAtoms - 1]) expect(partition.truthOf(unknown, atom)).toBe(UNKNOWN);
  expect(read('u1')).toBe(classes[1]);
});
