import { z } from 'zod';
import { Line } from './words.ts';

/** Roles that a machine can be fit for; a profile says what each asks. */
export const RoleName = z.enum(['control-plane', 'worker', 'storage', 'registry', 'edge']);
/** What can be asked of a machine. Numbers are asked with `atLeast`, words with `oneOf`, the rest with neither. */
export const FactName = z.enum([
  'cores',
  'memory',
  'system-disk',
  'second-disk',
  'disks',
  'nvme',
  'disk-life',
  'link',
  'links',
  'network',
  'arch',
  'boot-mode',
  'health',
  'firmware',
]);
export const Requirement = z.strictObject({
  fact: FactName,
  label: Line(40).optional(),
  atLeast: z.number().nonnegative().optional(),
  oneOf: z.array(Line(40)).min(1).max(20).optional(),
  /** For `network`: the purpose of the network that must be reached. */
  purpose: z.enum(['management', 'provisioning', 'machine', 'storage', 'tunnel', 'uplink', 'service', 'client']).optional(),
});
export type Requirement = z.infer<typeof Requirement>;
export type RoleName = z.infer<typeof RoleName>;
export type FactName = z.infer<typeof FactName>;
