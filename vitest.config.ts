import { defineConfig } from 'vitest/config';

export default defineConfig({
  resolve: { conditions: ['jade-source'] },
  ssr: { resolve: { conditions: ['jade-source'] } },
  test: {
    projects: [
      {
        extends: true,
        test: {
          name: 'parts',
          include: [
            'packages/*/src/**/*.test.ts',
            'demo/src/**/*.test.ts',
            'bench/src/**/*.test.ts',
            'scripts/**/*.test.ts',
          ],
        },
      },
      {
        extends: true,
        test: {
          name: 'whole',
          include: ['e2e/src/**/*.test.ts'],
          // A browser and a service on a busy machine: a second try separates a fault from a moment. The closing lines name each.
          retry: 1,
        },
      },
    ],
    setupFiles: ['./scripts/lib/property-tests.mjs'],
    reporters: ['default', './scripts/closing-line-reporter.mjs'],
    testTimeout: 120_000,
    hookTimeout: 180_000,
    // What a page or a service shows in the end; a slow machine takes longer.
    expect: { poll: { timeout: 20_000, interval: 50 } },
    pool: 'forks',
    maxWorkers: 2,
  },
});
