import type { DecisionRow } from '@jadefence/contract';
import { parseConditionText, parseRuleText } from '@jadefence/core/edit';
import { parseFences } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { exceptionRule, expectationOf, expectationText, filtersOf, urlOf } from './next-steps.js';

const ROW = {
  client: '2001:db8::7',
  country: 'NO',
  host: 'shop.example',
  path: '/sale/a "b"',
  method: 'POST',
  outcome: 'blocked',
  fence: 'desk',
  rule: 'login',
  record: { 'http.response.status_code': 200 },
} as unknown as DecisionRow;

describe('what comes next about a decision', () => {
  it('are filters that can be read', () => {
    for (const { text, where } of filtersOf(ROW)) {
      if (text.includes('recorded')) continue;
      expect([text, parseConditionText(where).diagnostics]).toEqual([text, []]);
    }
    expect(filtersOf(ROW).map(({ where }) => where)).toContain('not path = "/sale/a \\"b\\""');
  });

  it('is an expectation that can be read, or none', () => {
    const text = expectationOf({ ...ROW, path: '/sale' })!;
    expect(text).toBe(
      'expect blocked by rule desk/login from 2001:db8::7 to https://shop.example/sale with method POST',
    );
    expect(parseFences(text, 'e').diagnostics).toEqual([]);
    expect(expectationOf({ ...ROW, client: null })).toBeUndefined();
  });

  it('is an expectation with all parts of a tried request', () => {
    const request = { client: '198.18.4.7', url: 'shop.example/a?b=c&d', headers: [{ name: 'X-Key', value: 'a "b"' }] };
    const text = expectationText({ ...request, user: 'ada', at: '2026-10-12T10:00:00Z' }, { outcome: 'allowed' })!;
    expect(parseFences(text, 'e').diagnostics).toEqual([]);
    expect(text).toContain('with header "x-key" "a \\"b\\"", user "ada" at 2026-10-12T10:00:00Z');
  });

  it('is an exception that can be read', () => {
    expect(parseRuleText(exceptionRule('198.18.4.7', '/sale/a "b"')).diagnostics).toEqual([]);
    expect(parseRuleText(exceptionRule('198.18.4.7', undefined)).rule?.action.kind).toBe('allow');
  });

  it('is the URL that the log has, before one that is made of its host and path', () => {
    expect(urlOf({ ...ROW, record: { 'url.full': 'http://a.example/' } } as unknown as DecisionRow)).toBe(
      'http://a.example/',
    );
  });
});
