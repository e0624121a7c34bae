import { parseRuleText, printRuleText } from '@jadefence/core/edit';
import type { Rule } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { compareRules, mergeRules } from './merge-rules.js';

const ruleOf = (text: string): Rule => parseRuleText(text).rule!;
const before = ruleOf('rule login block when path under /login owner "Ada"');

describe('a rule that two people changed', () => {
  it('is merged part by part', () => {
    const theirs = ruleOf('rule login trial block 429 when path under /login owner "Ada"');
    const mine = ruleOf('rule login block when path under /login, /account reason "abuse"');
    expect(printRuleText(mergeRules(before, theirs, mine))).toBe(
      'rule login trial block 429 when path under /login, /account reason "abuse"',
    );
    expect(compareRules(before, theirs, mine).map((row) => [row.part, row.isContested])).toEqual([
      ['State', false],
      ['Action', false],
      ['Condition', false],
      ['Owner', false],
      ['Reason', false],
    ]);
  });

  it('is as I have it where both changed the same part', () => {
    const theirs = ruleOf('rule login block when path under /sign-in owner "Ada"');
    const mine = ruleOf('rule login block when path under /signin owner "Ada"');
    expect(mergeRules(before, theirs, mine)).toEqual(mine);
    expect(compareRules(before, theirs, mine)).toMatchObject([{ part: 'Condition', isContested: true }]);
  });
});
