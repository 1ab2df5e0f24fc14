import { z } from 'zod';
import { parsePrefix } from '../address/parse.ts';
import { Cidr, Name } from './words.ts';

const Vlan = z.number().int().min(1).max(4094);
/** What clusters get that have a precinct out of a network: how long the prefix of each is, and what it has beside it. */
export const Precincts = z.strictObject({
  length: z.number().int().min(9).max(123),
  /** VLANs that are set aside for them: the first and the last. */
  vlans: z.strictObject({ first: Vlan, last: Vlan }),
  /** What routes for them, with an address of each member in each of them. */
  gateway: Name,
  /** Networks in which what they send leaves with an address of the cluster's own. */
  outbound: z.array(Name).max(8).default([]),
  /** Pod ranges are carved out of it as well. */
  pods: z.strictObject({ prefix: Cidr, length: z.number().int().min(9).max(120) }).optional(),
});
export type Precincts = z.infer<typeof Precincts>;

/** What of the precincts of a network does not go together, by the field below them. */
export function precinctFaults(n: { prefix: string; precincts?: Precincts | undefined }): { path: string[]; message: string }[] {
  const p = n.precincts;
  if (!p) return [];
  const out: { path: string[]; message: string }[] = [];
  const whole = parsePrefix(n.prefix);
  // Each has 32 addresses or more.
  const most = whole.v === 4 ? 27 : 123;
  if (p.length <= whole.length || p.length > most)
    out.push({
      path: ['length'],
      message: `longer than /${whole.length} of the network, and at most /${most}: each has 32 addresses or more`,
    });
  if (p.vlans.last < p.vlans.first) out.push({ path: ['vlans', 'last'], message: 'the last is not before the first' });
  if (!p.pods) return out;
  const pods = parsePrefix(p.pods.prefix);
  if (pods.v !== whole.v) out.push({ path: ['pods', 'prefix'], message: 'both are of one version of IP' });
  else if (p.pods.length <= pods.length)
    out.push({ path: ['pods', 'length'], message: `longer than /${pods.length} of its prefix` });
  return out;
}
