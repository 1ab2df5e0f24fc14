import { z } from 'zod';
import { Answer } from './question.ts';
import { Name } from './words.ts';

/** Fields of a charter that an answer is put into, as they stand there: `pods.range`. */
export const FieldPath = z
  .string()
  .max(120)
  .regex(/^[A-Za-z]+(\.[A-Za-z0-9-]+)*$/, 'fields of a charter such as pods.range');

/** What a charter remembers of the template that it came from. */
export const OfTemplate = z.strictObject({
  name: Name,
  version: z.number().int().min(1),
  /** Answers that were given; all others follow. */
  answers: z.array(Answer).max(100).optional(),
  /** Fields in which it is meant to differ. */
  onPurpose: z.array(FieldPath).max(100).optional(),
});
export type OfTemplate = z.infer<typeof OfTemplate>;
