import { roles } from '@praesidor/core/access';
import { type DocOf, type Kind, kinds } from '@praesidor/core/model';
import { z } from 'zod';

/** What several answers are made of. */

/** A moment: the server has it as a date, whoever reads the answer as ISO 8601. */
export const Moment = z.string().meta({ format: 'date-time' }) as unknown as z.ZodType<string, string | Date>;
export const Role = z.enum(roles);
export const Count = z.number().int();
/** The number of the act in the record; with it the act can be undone. */
export const Act = z.strictObject({ act: Count });
export const Nothing = z.strictObject({});
export const Name = z.string();

/** Whether the process answers, and whether everything that it needs does. */
export const Alive = z.strictObject({ ok: z.boolean() });
export const Ready = z.strictObject({
  ready: z.boolean(),
  checks: z.array(z.strictObject({ name: z.string(), ready: z.boolean(), why: z.string().optional() })),
});

/** A document as it stands, held against the schema of its kind, which is published by itself. */
export const document = <K extends Kind>(kind: K) =>
  z
    .unknown()
    .refine((v) => kinds[kind].safeParse(v).success, `a document of kind ${kind}`)
    .meta({ description: `a ${kind}, as in /api/schema/${kind}` }) as unknown as z.ZodType<DocOf<K>, DocOf<K>>;

/** Something large that has its type from core, and is described elsewhere. */
export const described = <T>(what: string) => z.unknown().meta({ description: what }) as unknown as z.ZodType<T, T>;

/** What is answered in place of what was asked for. `code` is stable; the rest is for people. */
export const Fault = z.strictObject({
  code: z.string(),
  message: z.string(),
  remedy: z.string().optional(),
  /** Seconds after which it is worth asking again, as in the header `retry-after`. */
  retryAfter: Count.optional(),
  places: z
    .array(
      z.strictObject({
        path: z.string().optional(),
        file: z.string().optional(),
        line: Count.optional(),
        column: Count.optional(),
        code: z.string().optional(),
        message: z.string(),
      }),
    )
    .optional(),
  /** What stands there now, where somebody else was quicker. */
  current: z.unknown().optional(),
  collisions: z.array(z.unknown()).optional(),
  /** What uses something that was to go, each with what ends that. */
  uses: z.array(z.unknown()).optional(),
});
export type Fault = z.infer<typeof Fault>;
