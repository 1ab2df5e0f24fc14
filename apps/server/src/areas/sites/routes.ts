import * as answers from '@praesidor/contract';
import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { makeSites, previewSites } from './table.ts';

const Table = z.strictObject({
  text: z.string().max(20_000_000),
  /** The site that they are made like. */
  like: words.Name,
  /** The addresses of that site, where they are more than its networks; where blocks are carved. */
  block: z.string().max(200).optional(),
  within: z.string().max(200).optional(),
  cluster: z.boolean().default(true),
  /** What columns are to be read as, by their header; empty: not at all. */
  columns: z.record(z.string().max(200), z.string().max(80)).default({}),
});
const limit = 25_000_000;

/** Sites that are made from a table, like one that is there. */
export async function sites(app: App, { ctx }: { ctx: Context }) {
  app.post(
    '/api/sites/preview',
    { config: { act: 'plan.read' }, bodyLimit: limit, schema: { body: Table, response: { '2xx': answers.SitesPreview } } },
    async (req) => previewSites(ctx, req.body),
  );
  app.post(
    '/api/sites/import',
    {
      config: { act: 'plan.import' },
      bodyLimit: limit,
      schema: {
        body: Table.extend({ leaveOut: z.boolean().default(false), revision: z.number().int().min(0).optional() }),
        response: { '2xx': answers.SitesMade },
      },
    },
    async (req) => makeSites(ctx, req.body, req.principal),
  );
}
