import { FIELD_INFOS, parseConditionText } from '@jadefence/core/edit';
import { printCondition, type Condition } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { join, replaceAt, writeComparison } from './condition-edit.js';
import { groupsFor, optionsFor, type KnownNames } from './known.js';

const conditionOf = (text: string): Condition => parseConditionText(text).condition!;
const print = (condition: Condition | undefined): string | undefined => condition && printCondition(condition);

describe('a part of a condition', () => {
  const whole = conditionOf('method = GET and not (path under /a or path under /b)');
  it.each<[string, readonly number[], string | undefined, string | undefined]>([
    ['is replaced', [0], 'method = PUT', 'method = PUT and not (path under /a or path under /b)'],
    ['is replaced within "not"', [1, 0, 1], 'path under /c', 'method = GET and not (path under /a or path under /c)'],
    ['is taken out, and so is the group around the other', [1, 0, 0], undefined, 'method = GET and not path under /b'],
    ['is taken out with its "not"', [1], undefined, 'method = GET'],
    ['is the whole condition', [], undefined, undefined],
  ])('%s', (_, path, by, expected) => {
    expect(print(replaceAt(whole, path, by === undefined ? undefined : conditionOf(by)))).toBe(expected);
  });

  it('is added to a group of the same word, and makes a group of another', () => {
    const added = conditionOf('host = a.example');
    expect(print(join(conditionOf('method = GET and path = /a'), 'and', added))).toBe(
      'method = GET and path = /a and host = a.example',
    );
    expect(print(join(conditionOf('method = GET and path = /a'), 'or', added))).toBe(
      'method = GET and path = /a or host = a.example',
    );
  });
});

it('a comparison of the picker is written as the language has it', () => {
  const draft = { field: 'header', parameter: 'x-a', operator: '=', isAnyCase: true, values: ['"a b"', 'c'] };
  expect(writeComparison(draft)).toBe('header "x-a" = anycase "a b", c');
  expect(writeComparison({ ...draft, operator: 'present', isAnyCase: false })).toBe('header "x-a" present');
});

describe('the values that can be picked', () => {
  const known: KnownNames = {
    lists: [
      { name: 'close', kind: 'countries' },
      { name: 'offices', kind: 'addresses' },
      { name: 'europe', kind: 'countries' },
    ],
    gates: ['shop'],
    schedules: [],
    pages: [],
    passphrases: [],
    tags: [],
    applications: [],
    categories: ['news'],
    countries: undefined,
    hosts: [],
    sections: [],
  };
  const info = (name: string) => FIELD_INFOS.find(({ field }) => field === name)!;
  const valuesOf = (field: string, operator: string): string[] =>
    optionsFor(info(field), operator, known).map(({ value }) => value);

  it('are lists of the kind of the field first, then continents unless a list has their name, then countries', () => {
    const values = valuesOf('country', 'in');
    expect(values.slice(0, 2)).toEqual(['close', 'europe']);
    expect(values.filter((value) => value === 'europe')).toHaveLength(1);
    expect(values.indexOf('africa')).toBeLessThan(values.indexOf('NO'));
    expect(values.indexOf('NO')).toBeLessThan(values.indexOf('western-europe'));
    expect(valuesOf('client', 'in')).toEqual(['offices']);
  });

  it('are literals where the operator takes no list', () => {
    expect(valuesOf('country', '=')).not.toContain('close');
    expect(valuesOf('method', '=')).toContain('PATCH');
    expect(valuesOf('gate', '=')).toEqual(['shop']);
    expect(valuesOf('category', '=')).toEqual(['news', 'uncategorised']);
  });

  it('are picked by continent where they are countries', () => {
    expect(groupsFor(info('country')).find(({ text }) => text === 'Africa')!.values).toContain('KE');
    expect(groupsFor(info('method'))).toEqual([]);
  });

  it('warn of a country without addresses in the table, those of the log first', () => {
    const countries = {
      requests: 10,
      countries: [{ country: 'SE', requests: 10, numRanges: 2, addresses4: '512', addresses6: '0' }],
    } as unknown as NonNullable<KnownNames['countries']>;
    const options = optionsFor(info('country'), '=', { ...known, countries });
    expect(options[0]).toMatchObject({ value: 'SE', note: '512 addresses · 100.0%' });
    expect(options.find(({ value }) => value === 'NO')).toMatchObject({ isWarning: true });
  });
});
