import { z } from 'zod';
import { Arch, Instant, Line, Mac } from './words.ts';

const Health = z.enum(['OK', 'Warning', 'Critical']);
export const Media = z.enum(['hdd', 'ssd', 'nvme']);
export const Disk = z.strictObject({
  bay: Line(40),
  sizeGB: z.number().nonnegative(),
  media: Media,
  model: Line(80).optional(),
  serial: Line(80).optional(),
  /** Its name in the world (NAA or EUI-64), where it has one. */
  wwn: Line(40).optional(),
  /** What is left of its endurance, in percent. */
  lifeLeft: z.number().min(0).max(100).optional(),
  health: Health.optional(),
});
export const Nic = z.strictObject({
  name: Line(60),
  mac: Mac,
  speedGbit: z.number().nonnegative(),
  link: z.boolean(),
  adapter: Line(80).optional(),
  /** VLANs that its port is set up to carry, where that is told. */
  vlans: z.array(z.number().int()).max(200).optional(),
  /** What the other end of the cable says of itself (LLDP, IEEE 802.1AB). */
  neighbour: z.strictObject({ name: Line(120), port: Line(120) }).optional(),
});
/** What was read of a machine, with the time and where it came from; what a source does not tell is left out. */
export const Facts = z.strictObject({
  at: Instant,
  source: z.enum(['bmc', 'imported', 'mould']),
  maker: Line(80),
  model: Line(80),
  serial: Line(80),
  arch: Arch,
  cores: z.number().int().nonnegative(),
  processors: z
    .array(z.strictObject({ model: Line(120), cores: z.number().int(), threads: z.number().int().optional() }))
    .max(16)
    .optional(),
  memoryGiB: z.number().nonnegative(),
  disks: z.array(Disk).max(200),
  nics: z.array(Nic).max(64),
  firmware: z.strictObject({
    bmc: Line(60),
    system: Line(60),
    /** The rest of the firmware inventory, by its identifier. */
    parts: z
      .array(z.strictObject({ id: Line(60), name: Line(120), version: Line(60) }))
      .max(200)
      .optional(),
  }),
  bootMode: z.enum(['UEFI', 'BIOS']),
  bootOptions: z.array(Line(120)).max(100).optional(),
  power: z.enum(['On', 'Off']),
  health: Health.optional(),
  /** What it draws, and the most its supplies give, in watts. */
  drawsW: z.number().nonnegative().optional(),
  suppliesW: z.number().nonnegative().optional(),
  /** Parts that the source broke off at, each with why. */
  unreadParts: z.array(Line(200)).max(40).optional(),
});
export type Facts = z.infer<typeof Facts>;
