import { z } from 'zod';
import { Count } from './parts.ts';

/** A column of a table: its header, its first cell, and what it was read as. */
export const TableColumn = z.strictObject({
  header: z.string(),
  field: z.string().optional(),
  chosen: z.literal(true).optional(),
  sample: z.string().optional(),
  reads: z.string().optional(),
});

/** What a table that comes in would do, line by line, and how each of its columns was understood. */
const preview = <L extends z.ZodRawShape, C extends z.ZodRawShape>(line: L, counts: C) =>
  z.strictObject({
    columns: z.array(TableColumn),
    /** What a column can be read as, where that can be chosen. */
    fields: z.array(z.string()).readonly().optional(),
    lines: z.array(z.strictObject({ line: Count, what: z.string(), message: z.string(), ...line })),
    counts: z.strictObject(counts),
    fault: z.strictObject({ line: Count, message: z.string() }).optional(),
    /** Lines that are not in the list. */
    more: Count,
  });
const counts = { new: Count, changed: Count, same: Count, wrong: Count };
export const LedgerPreview = preview({ address: z.string() }, counts);
export const HostsPreview = preview({ name: z.string(), double: z.string().optional() }, { ...counts, double: Count });
export const LedgerImported = z.strictObject({ ...counts, act: Count.optional() });
export const HostsImported = z.strictObject({ counts: z.strictObject({ ...counts, double: Count }), taken: Count, act: Count });
