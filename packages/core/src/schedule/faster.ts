import type { Faster } from './timeline.ts';
import type { Limit } from './steps.ts';

const shared: Record<Limit, string> = {
  builds: 'builds of',
  controllers: 'controllers of',
  firmware: 'firmware of',
  hypervisor: 'hypervisor',
  registry: 'registry',
};

/** What would have to be otherwise, in words. */
export const fasterText = (f: Faster): string =>
  f.what === 'kind'
    ? `each “${f.title}” in half the time`
    : `${f.room * 2} at once instead of ${f.room} at ${shared[f.limit]} ${f.of}`;
