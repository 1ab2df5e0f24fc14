import { z } from 'zod';
import { Count } from './parts.ts';
import { TableColumn } from './tables.ts';

/** A site that a table would make, like one that is there. */
export const NewSite = z.strictObject({
  name: z.string(),
  title: z.string(),
  domain: z.string(),
  lines: z.array(Count),
  what: z.enum(['new', 'there', 'wrong']),
  faults: z.array(z.strictObject({ line: Count, message: z.string() })),
  /** Its blocks of addresses, between blanks; `carved`: nobody gave them, they are the next free ones. */
  blocks: z.string(),
  carved: z.boolean(),
  networks: z.array(z.strictObject({ name: z.string(), prefix: z.string() })),
  hosts: z.array(z.string()),
  cluster: z
    .strictObject({
      name: z.string(),
      template: z.string(),
      version: Count,
      answers: z.array(z.strictObject({ ask: z.string(), text: z.string(), why: z.string().optional() })),
    })
    .optional(),
  /** What is declared with it: `Network avo-machine`. */
  documents: z.array(z.string()),
});
export type NewSite = z.infer<typeof NewSite>;
export const SitesPreview = z.strictObject({
  columns: z.array(TableColumn),
  fields: z.array(z.string()).readonly(),
  sites: z.array(NewSite),
  /** Sites that are not in the list. */
  more: Count,
  counts: z.strictObject({ new: Count, there: Count, wrong: Count }),
  /** Documents that would be declared. */
  documents: Count,
  /** What of the site that they are like they do not get. */
  apart: z.array(z.string()),
  block: z.string(),
  template: z.strictObject({ name: z.string(), version: Count }).optional(),
  /** Entries that the keyring has to have for them, and that nothing refers to today. */
  credentials: z.array(z.string()),
  fault: z.strictObject({ line: Count, message: z.string() }).optional(),
});
export type SitesPreview = z.infer<typeof SitesPreview>;
export const SitesMade = z.strictObject({ sites: Count, documents: Count, act: Count });
