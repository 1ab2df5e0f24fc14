import { defineConfig } from 'vitest/config';

/** Unit tests beside the code; suites with PostgreSQL, stand-ins and a browser one after the other, since they share two cores. */
export default defineConfig({
  test: {
    projects: [
      {
        test: {
          name: 'unit',
          include: ['packages/**/*.test.ts', 'apps/cli/**/*.test.ts', 'apps/web/**/*.test.ts'],
          testTimeout: 20_000,
          sequence: { groupOrder: 0 },
        },
      },
      {
        test: {
          name: 'server',
          include: ['apps/server/test/**/*.test.ts'],
          testTimeout: 120_000,
          hookTimeout: 120_000,
          fileParallelism: false,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'interface',
          include: ['e2e/**/*.test.ts'],
          testTimeout: 300_000,
          hookTimeout: 180_000,
          fileParallelism: false,
          sequence: { groupOrder: 2 },
        },
      },
    ],
    reporters: ['default'],
  },
});
