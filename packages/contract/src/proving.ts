import { z } from 'zod';
import { Count } from './parts.ts';

export const ProvingGround = z.union([
  z.strictObject({ here: z.literal(false) }),
  z.strictObject({
    here: z.literal(true),
    speed: z.number(),
    faults: z.array(z.strictObject({ kind: z.string(), subject: z.string() })),
    machines: z.array(
      z.strictObject({
        name: z.string(),
        hostName: z.string(),
        bmc: z.string(),
        power: z.string(),
        stage: z.string(),
        pulled: Count,
      }),
    ),
    hypervisors: z.array(z.strictObject({ name: z.string(), guests: Count })).optional(),
    registries: z.array(z.strictObject({ name: z.string(), host: z.string() })),
    zones: z.array(z.strictObject({ name: z.string(), serial: Count, records: Count })),
    timeServers: z.array(z.string()),
    routers: z.record(z.string(), z.string()).optional(),
    stores: z.array(z.string()).optional(),
    providers: z.array(z.string()).optional(),
    clusters: z.array(z.strictObject({ name: z.string(), up: z.boolean(), members: z.array(z.string()) })),
    authorities: z.record(z.string(), z.string()),
    kinds: z.record(z.string(), z.strictObject({ on: z.string(), title: z.string(), text: z.string() })),
  }),
]);
export type ProvingGround = z.infer<typeof ProvingGround>;
