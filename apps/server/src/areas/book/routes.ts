import { words } from '@praesidor/core/model';
import { z } from 'zod';
import type { App } from '../../app-type.ts';
import type { Context } from '../../context.ts';
import { siteBook } from './book.ts';
import { asPdf } from './pdf.ts';

const Named = z.strictObject({ name: words.Name });
/** Nothing of the page runs, and nothing is fetched for it. */
const policy = "sandbox; default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'self'";

/** The site book: a page made for print, and the same as PDF. */
export async function book(app: App, { ctx }: { ctx: Context }) {
  app.get('/api/sites/:name/files/book.html', { config: { act: 'plan.read' }, schema: { params: Named } }, async (req, reply) => {
    const page = await siteBook(ctx, req.params.name);
    return reply
      .type('text/html; charset=utf-8')
      .header('content-security-policy', policy)
      .header('x-frame-options', 'SAMEORIGIN')
      .header('cache-control', 'no-store')
      .send(page);
  });
  app.get('/api/sites/:name/files/book.pdf', { config: { act: 'plan.read' }, schema: { params: Named } }, async (req, reply) => {
    const { name } = req.params;
    const pdf = await asPdf(await siteBook(ctx, name), ctx.config.chromium ?? 'chromium');
    return reply
      .type('application/pdf')
      .header('content-disposition', `attachment; filename="${name}-site-book.pdf"`)
      .header('cache-control', 'no-store')
      .send(pdf);
  });
}
