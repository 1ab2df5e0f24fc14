import { ServedZone } from '@praesidor/core/model';
import { Drift } from '@praesidor/core/naming';
import { z } from 'zod';
import { Count, document, Moment } from './parts.ts';

export const Reserved = z.strictObject({ reservations: z.array(document('Reservation')), act: Count });
export const Released = z.strictObject({ act: Count, resting: z.boolean() });
export const Moved = z.strictObject({ reservation: document('Reservation'), act: Count });

export const Past = z.strictObject({
  network: z.string(),
  address: z.string(),
  since: Moment,
  until: Moment.nullable(),
  by: z.string(),
  doc: document('Reservation'),
});
export type Past = z.infer<typeof Past>;
export const History = z.strictObject({ history: z.array(Past) });

export const Levels = z.strictObject({
  levels: z.array(z.strictObject({ at: Moment, taken: Count })),
  room: z.number(),
  forecast: z
    .strictObject({
      from: z.string(),
      to: z.string(),
      perDay: z.number(),
      full: z.string().optional(),
      earliest: z.string().optional(),
      latest: z.string().optional(),
    })
    .nullable(),
});
export type Levels = z.infer<typeof Levels>;

/** A connection to an end of a path, from the machine that the server runs on. */
export const Measured = z.strictObject({
  to: z.string(),
  address: z.string(),
  port: z.number(),
  at: Moment,
  answered: z.boolean(),
  /** Milliseconds until it answered, or until that was given up. */
  ms: z.number(),
  /** Bytes of the largest packet that passes whole; null: the kernel does not say. */
  pathMtu: z.number().nullable(),
  why: z.string().nullable(),
  /** The host that it was measured from, with the way that its kernel takes; null: from the machine of the server. */
  from: z
    .strictObject({
      host: z.string(),
      /** The router that it sends to; null: the address is on its link. */
      via: z.string().nullable(),
      link: z.string().nullable(),
      mtu: z.number().nullable(),
    })
    .nullable(),
});
export type Measured = z.infer<typeof Measured>;

export const ZoneRead = z.strictObject({ served: ServedZone });
export const ZoneDrift = z.strictObject({
  drift: Drift,
  served: ServedZone.omit({ records: true }),
});
export const ZoneSent = z.strictObject({
  zone: z.string(),
  added: Count,
  changed: Count,
  removed: Count,
  serial: Count,
  left: Count,
});
export const RecordsAdded = z.strictObject({ added: Count, act: Count });
export const RecordsRemoved = z.strictObject({ removed: Count, serial: Count });
