import type { Estate } from '../model/estate.ts';
import { type Limit, type Share, usualLimits } from './steps.ts';

/** What of an estate says how much may happen at once. */
export type Limiting = Pick<Estate, 'sites' | 'hypervisors' | 'registries'>;

/** How much may happen at once at a site. */
export const limitAt = ({ sites }: Pick<Estate, 'sites'>, site: string | undefined, limit: Limit): number =>
  sites.find((s) => s.name === site)?.limits?.[limit] ?? usualLimits[limit];

/** Something that steps share, with as much room as the site that it stands at allows. */
export function share(estate: Limiting, limit: Limit, of: string): Share {
  const site =
    limit === 'hypervisor'
      ? estate.hypervisors.find((h) => h.name === of)?.site
      : limit === 'registry'
        ? estate.registries.find((r) => r.name === of)?.site
        : of;
  return { limit, of, room: limitAt(estate, site, limit) };
}
