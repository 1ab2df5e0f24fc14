import { defineConfig } from 'vitest/config';

/** Starts the demonstration as a whole, and measures how long that takes: alone. */
const starts = ['e2e/starts.test.ts'];

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
          exclude: starts,
          testTimeout: 300_000,
          hookTimeout: 180_000,
          isolate: false,
          maxWorkers: 3,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'commands',
          include: starts,
          testTimeout: 300_000,
          hookTimeout: 180_000,
          maxWorkers: 1,
          sequence: { groupOrder: 2 },
        },
      },
    ],
    reporters: ['default'],
  },
});
