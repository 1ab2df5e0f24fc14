import { Packing } from '@praesidor/core/hosts';
import { type Host, kinds, SeenHypervisor } from '@praesidor/core/model';
import { z } from 'zod';
import { Count, document, Moment } from './parts.ts';
import { RecordedAct } from './estate.ts';

export const Swept = z.strictObject({ addresses: Count });
export const Accepted = z.strictObject({
  results: z.array(
    z.strictObject({
      address: z.string(),
      error: z.string().nullable(),
      credential: z.string().nullish(),
      serial: z.string().optional(),
    }),
  ),
});
export const Listed = z.strictObject({ hosts: z.array(document('Host')), act: Count });
export const OneHost = z.strictObject({ host: document('Host'), act: Count.optional() });
export const Refreshed = z.strictObject({ host: document('Host') });
/** A Host with the roles that it fits. */
export const FoundHost = z
  .looseObject({ fits: z.array(z.string()) })
  .refine(({ fits: _, ...host }) => kinds.Host.safeParse(host).success, 'a document of kind Host, and `fits`')
  .meta({ description: 'a Host, as in /api/schema/Host, with the roles that it fits as `fits`' }) as unknown as z.ZodType<
  Host & { fits: string[] },
  Host & { fits: string[] }
>;
export const FoundHosts = z.strictObject({
  hosts: z.array(FoundHost),
});

const WorkItem = z.strictObject({
  host: z.string(),
  text: z.string(),
  state: z.enum(['waiting', 'running', 'done', 'failed', 'stopped']),
  percent: z.number(),
  /** What it has to know again after a restart. */
  knows: z.record(z.string(), z.unknown()).optional(),
  remedy: z.string().optional(),
});
export const Work = z.strictObject({
  id: Count,
  kind: z.string(),
  site: z.string(),
  title: z.string(),
  items: z.array(WorkItem),
  asked: z.record(z.string(), z.unknown()).optional(),
  state: z.enum(['running', 'stopping', 'done', 'failed', 'stopped']),
  createdAt: Moment,
  createdBy: z.string(),
  endedAt: Moment.nullable(),
});
export type Work = z.infer<typeof Work>;
export const Works = z.strictObject({ works: z.array(Work) });
const Refused = z.array(z.strictObject({ host: z.string(), why: z.string() }));
export const WorkBegun = z.strictObject({ work: Work.optional(), refused: Refused });
export type WorkBegun = z.infer<typeof WorkBegun>;
export const Outcomes = z.strictObject({
  outcomes: z.array(z.strictObject({ host: z.string(), state: z.string().optional(), refused: z.string().optional() })),
  act: Count.optional(),
});
export type Outcomes = z.infer<typeof Outcomes>;

export const Cast = z.strictObject({
  names: z.array(z.string()),
  act: Count,
  work: Work.optional(),
  refused: Refused.optional(),
});
export const CastPlanned = z.strictObject({ plan: z.strictObject({ hosts: z.array(document('Host')), packing: Packing }) });

const Reading = z.strictObject({ name: z.string(), kind: z.string(), value: z.number(), unit: z.string() });
export const Sensors = z.strictObject({ readings: z.array(Reading) });
export const ControllerLog = z.strictObject({
  entries: z.array(z.strictObject({ at: z.string(), severity: z.string(), text: z.string() })),
  media: z.array(z.strictObject({ path: z.string(), name: z.string(), image: z.string().optional(), disc: z.boolean() })),
});
export const HypervisorSeen = z.strictObject({
  seen: SeenHypervisor,
});
/** Readings of one sensor over time. */
export const Series = z.strictObject({
  name: z.string(),
  kind: z.string(),
  unit: z.string(),
  points: z.array(z.tuple([Moment, z.number()])),
});
export type Series = z.infer<typeof Series>;
export const HostPage = z.strictObject({
  version: Count,
  acts: z.array(z.strictObject({ act: z.string(), label: z.string(), refused: z.string().optional() })),
  facts: z.array(
    z.strictObject({
      at: Moment,
      source: z.string(),
      changes: z.array(z.strictObject({ text: z.string(), what: z.string(), heavy: z.boolean() })),
    }),
  ),
  history: z.array(RecordedAct),
  works: z.array(Work),
  builds: z.array(
    z.strictObject({ charter: z.string(), number: Count, state: z.string(), at: Moment, role: z.string().nullable() }),
  ),
  samples: z.array(Series),
});
export type HostPage = z.infer<typeof HostPage>;
