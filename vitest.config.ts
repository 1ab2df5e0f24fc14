import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

/** Starts the demonstration as a whole, and measures how long that takes: alone. */
const starts = ['e2e/starts.test.ts'];

/** Suites that take longest, longest first: begun last, one of them would run alone at the end. */
const long = [
  'remedies',
  'walk',
  'cut-off',
  'every-view',
  'kill',
  'scale',
  'kit-faults',
  'install',
  'spaces',
  'apply',
  'empty',
  'addresses',
  'over-ssh',
  'life-faults',
  'outage',
  'hosts',
  'images',
  'real-etcd',
  'notices',
  'guests',
  'hosts-of-cluster',
  'together',
  'command-line',
];
class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const place = (f: TestSpecification) => {
      const at = long.findIndex((name) => f.moduleId.endsWith(`/${name}.test.ts`));
      return at < 0 ? long.length : at;
    };
    return (await super.sort(files)).sort((a, b) => place(a) - place(b));
  }
}

/** Unit tests beside the code; then the suites with PostgreSQL, stand-ins and a browser, four at a time: they often wait. */
export default defineConfig({
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        test: {
          name: 'unit',
          include: ['packages/**/*.test.ts', 'apps/cli/**/*.test.ts', 'apps/web/**/*.test.ts'],
          testTimeout: 60_000,
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
          testTimeout: 600_000,
          hookTimeout: 600_000,
          isolate: false,
          maxWorkers: 4,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'interface',
          include: ['e2e/**/*.test.ts'],
          exclude: starts,
          testTimeout: 600_000,
          hookTimeout: 300_000,
          isolate: false,
          maxWorkers: 4,
          sequence: { groupOrder: 1 },
        },
      },
      {
        test: {
          name: 'commands',
          include: starts,
          testTimeout: 300_000,
          hookTimeout: 300_000,
          maxWorkers: 1,
          sequence: { groupOrder: 2 },
        },
      },
    ],
    reporters: ['default'],
  },
});
