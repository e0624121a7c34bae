import { toDecidedRecord } from '@jadefence/core/replay';
import { expect, it } from 'vitest';
import { printCsvRow, printDecisionRow } from './csv.js';
import { printJunit } from './junit.js';

it('a CSV cell that begins like a formula is made harmless, and quoted where it must be', () => {
  const record = toDecidedRecord(
    {
      line: 3,
      atUnixMs: 0,
      attributes: { 'user_agent.original': '=1+1, "x"', 'http.request.header.host': ['a.example'] },
    },
    { outcome: 'uncovered', would: [], tags: [], blind: [], matched: [], client: undefined, country: undefined },
  );
  expect(printDecisionRow(record)).toBe(
    '1970-01-01T00:00:00.000Z,,,,,,,,a.example,,,"\'=1+1, ""x""",,3,uncovered,false,,,,,,,,,,,,',
  );
  expect(printCsvRow(['-', '@x', '\t', 'a\rb', 'a\nb', ''])).toBe(`'-,'@x,'\t,"a\rb","a\nb",`);
});

it('results as JUnit XML name each expectation, its place, and why it failed', () => {
  const met = { text: 'expect allowed', file: 'a&b.fence', line: 17, isMet: true } as const;
  const text = 'with header "x-a" "<&\u0001"';
  const failed = { text, file: 'a&b.fence', line: 18, isMet: false, failure: 'It was "allowed".' } as const;
  expect(printJunit([met, failed] as unknown as Parameters<typeof printJunit>[0])).toBe(
    [
      '<?xml version="1.0" encoding="UTF-8"?>',
      '<testsuites tests="2" failures="1">',
      '  <testsuite name="expectations" tests="2" failures="1">',
      '    <testcase classname="a&amp;b.fence" name="expect allowed" file="a&amp;b.fence" line="17"/>',
      '    <testcase classname="a&amp;b.fence" name="with header &quot;x-a&quot; &quot;&lt;&amp;\ufffd&quot;" file="a&amp;b.fence" line="18">',
      '      <failure message="It was &quot;allowed&quot;."/>',
      '    </testcase>',
      '  </testsuite>',
      '</testsuites>',
      '',
    ].join('\n'),
  );
});
