/** Prints `N passed, N failed` as the very last line of a test run, and before it which tests passed at a second try only. */
export default class ClosingLineReporter {
  onTestRunEnd(modules, unhandledErrors) {
    const counts = { passed: 0, failed: unhandledErrors.length, skipped: 0 };
    const repeated = [];
    for (const module of modules) {
      if (
        module.state() === 'failed' &&
        [...module.children.allTests()].every((test) => test.result().state !== 'failed')
      )
        counts.failed += 1;
      for (const test of module.children.allTests()) {
        const { state } = test.result();
        if (state in counts) counts[state] += 1;
        if (test.diagnostic()?.flaky)
          repeated.push(`passed at the second try: ${module.relativeModuleId} > ${test.fullName}`);
      }
    }
    const skipped = counts.skipped > 0 ? `, ${counts.skipped} skipped` : '';
    const lines = [...repeated, `${counts.passed} passed, ${counts.failed} failed${skipped}`];
    process.on('exit', () => process.stdout.write(`\n${lines.join('\n')}\n`));
  }
}
