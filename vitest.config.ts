import { defineConfig } from 'vitest/config';

/** Unit tests beside the code; then the suites with PostgreSQL, stand-ins and a browser, three at a time: they often wait. */
export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'unit',
          include: ['packages/**/*.test.ts', 'apps/cli/**/*.test.ts', 'apps/web/**/*.test.ts'],
          testTimeout: 20_000,
          // They share no state: loading the same modules anew for each file took longer than most of them.
          isolate: false,
          maxWorkers: 2,
          sequence: { groupOrder: 0 },
        },
      },
      {
        test: {
          name: 'server',
          include: ['apps/server/test/**/*.test.ts'],
          testTimeout: 120_000,
          hookTimeout: 120_000,
          isolate: false,
          maxWorkers: 3,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'interface',
          include: ['e2e/**/*.test.ts'],
          testTimeout: 300_000,
          hookTimeout: 180_000,
          isolate: false,
          maxWorkers: 3,
          sequence: { groupOrder: 1 },
        },
      },
    ],
    reporters: ['default'],
  },
});
