import { defineConfig } from 'vitest/config';

/** A suite of `npm run real`: machines under emulation. */
export default defineConfig({
  test: {
    include: ['real/**/*.test.ts'],
    testTimeout: 2_400_000,
    hookTimeout: 300_000,
    fileParallelism: false,
    reporters: ['verbose'],
  },
});
