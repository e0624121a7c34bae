import type { ExpectationResult } from './run-expectations.js';

/** Results as JUnit XML, which build servers read: a test case for each expectation. */
export function printJunit(results: readonly ExpectationResult[]): string {
  const numFailed = results.filter(({ isMet }) => !isMet).length;
  const cases = results.map(({ text, file, line, failure }) => {
    const head = `    <testcase classname="${escapeXml(file)}" name="${escapeXml(text)}" file="${escapeXml(file)}" line="${line}"`;
    return failure === undefined
      ? `${head}/>`
      : `${head}>\n      <failure message="${escapeXml(failure)}"/>\n    </testcase>`;
  });
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<testsuites tests="${results.length}" failures="${numFailed}">`,
    `  <testsuite name="expectations" tests="${results.length}" failures="${numFailed}">`,
    ...cases,
    '  </testsuite>',
    '</testsuites>',
    '',
  ].join('\n');
}

function escapeXml(text: string): string {
  const entities: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };
  // XML 1.0 does not allow control characters.
  return text.replace(/[&<>"]/g, (one) => entities[one]!).replace(/[\0-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]/g, '\ufffd');
}
