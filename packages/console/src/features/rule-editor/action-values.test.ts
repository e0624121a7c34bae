import { parseRuleText } from '@jadefence/core/edit';
import { ACTIONS, printAction, type Action } from '@jadefence/core/language';
import { expect, it } from 'vitest';
import { KEY_OPTIONS, newAction, valuesOfAction, writeAction } from './action-values.js';

const actionOf = (text: string): Action | undefined => {
  const { rule, diagnostics } = parseRuleText(`rule r ${text} when always`);
  return diagnostics.length === 0 ? rule?.action : undefined;
};

it.each([
  'allow',
  'allow outright',
  'block',
  'block 451 page closed',
  'redirect "/closed?a=\\"b\\"" 308',
  'warn',
  'warn page careful for 2h',
  'passphrase visitors page door for 45s',
  'challenge for 7d',
  'limit 20 per 5m by client',
  'limit 1 per 30s by everyone',
  'limit 3 per 1d by client /24 /56, header "x-key", path across gates then block 503 page slow for 10m',
  'limit 9 per 1h by client exact then redirect "https://www.example/slow"',
  'tag staff, office',
  'observe',
])('the form of %s writes the same action again', (text) => {
  expect(printAction(actionOf(writeAction(valuesOfAction(actionOf(text)!)))!)).toBe(text);
});

it('a form begins with an action that holds, but for names that only people know', () => {
  const begun = Object.fromEntries(ACTIONS.map((kind) => [kind, actionOf(writeAction(newAction(kind)))?.kind]));
  expect(begun).toEqual({
    ...Object.fromEntries(ACTIONS.map((kind) => [kind, kind])),
    passphrase: undefined,
    tag: undefined,
  });
});

it('every key that is offered is a key of the language', () => {
  for (const { value } of KEY_OPTIONS)
    expect([value, actionOf(`limit 2 per 1m by ${value}`)?.kind]).toEqual([value, 'limit']);
});
