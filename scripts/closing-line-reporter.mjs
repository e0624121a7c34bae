/** Prints `N passed, N failed` as the very last line of a test run. */
export default class ClosingLineReporter {
  onTestRunEnd(modules, unhandledErrors) {
    const counts = { passed: 0, failed: unhandledErrors.length, skipped: 0 };
    for (const module of modules) {
      if (
        module.state() === 'failed' &&
        [...module.children.allTests()].every((test) => test.result().state !== 'failed')
      )
        counts.failed += 1;
      for (const test of module.children.allTests()) {
        const { state } = test.result();
        if (state in counts) counts[state] += 1;
      }
    }
    const skipped = counts.skipped > 0 ? `, ${counts.skipped} skipped` : '';
    process.on('exit', () => process.stdout.write(`\n${counts.passed} passed, ${counts.failed} failed${skipped}\n`));
  }
}
