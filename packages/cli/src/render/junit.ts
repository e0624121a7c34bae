import type { ExpectationResult } from '@jadefence/core/expectations';
import { create } from 'xmlbuilder2';

/** Results as JUnit XML, which build servers read: a test case for each expectation. */
export function printJunit(results: readonly ExpectationResult[]): string {
  const counts = { tests: results.length, failures: results.filter(({ isMet }) => !isMet).length };
  // XML 1.0 does not allow control characters.
  const document = create({ version: '1.0', encoding: 'UTF-8', invalidCharReplacement: '\ufffd' });
  const suite = document.ele('testsuites', counts).ele('testsuite', { name: 'expectations', ...counts });
  for (const { text, file, line, failure } of results) {
    const test = suite.ele('testcase', { classname: file, name: text, file, line });
    if (failure !== undefined) test.ele('failure', { message: failure });
  }
  return `${document.end({ prettyPrint: true })}\n`;
}
