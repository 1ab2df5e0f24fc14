import { defineConfig } from 'vitest/config';

/** Suites of `npm run real`: machines under emulation, one after the other. */
export default defineConfig({
  test: {
    include: ['real/**/*.test.ts'],
    testTimeout: 1_200_000,
    hookTimeout: 300_000,
    fileParallelism: false,
    reporters: ['verbose'],
  },
});
