import { z } from 'zod';
import { doc } from './doc.ts';
import { Line, Name } from './words.ts';

/** What an allowance is counted in. Cores, memory and disks are those of the hosts, as they were read. */
export const allowanceMeasures = ['hosts', 'cores', 'memoryGiB', 'storageGB', 'addresses', 'clusters'] as const;
export type AllowanceMeasure = (typeof allowanceMeasures)[number];

const most = z.number().int().min(0).max(100_000_000).optional();
const some = z.array(Name).max(500).optional();

/** People who have clusters of their own: at which sites, how large, and of what. Who belongs to it stands with the accounts. */
export const Team = doc('Team', {
  name: Name,
  title: Line(80).default(''),
  /** Sites that its clusters may stand at; without: all. */
  sites: some,
  /** Nothing of its clusters is changed by one person alone: a second one approves. */
  fourEyes: z.boolean().optional(),
  /** The most that its clusters may take together; what is not set has no limit. */
  allowance: z
    .strictObject({ hosts: most, cores: most, memoryGiB: most, storageGB: most, addresses: most, clusters: most })
    .default({}),
  /** Moulds and templates that its charters may name; without: all. */
  moulds: some,
  templates: some,
});
export type Team = z.infer<typeof Team>;
