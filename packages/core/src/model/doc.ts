import { z } from 'zod';

/** The schema of a kind of document: nothing but what is named may stand in it. */
export const doc = <K extends string, S extends z.ZodRawShape>(kind: K, shape: S) =>
  z.strictObject({ apiVersion: z.literal('praesidor/v1').default('praesidor/v1'), kind: z.literal(kind), ...shape });
