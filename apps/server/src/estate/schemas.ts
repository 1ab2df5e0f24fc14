import { anyDocumentSchema, jsonSchemaOf, type Kind, kinds } from '@praesidor/core/model';
import { described } from '@praesidor/contract';
import { z } from 'zod';
import type { App } from '../app-type.ts';
import { Refusal } from '../refusal.ts';

const response = { '2xx': described<object>('a JSON Schema (draft 2020-12)') };
const Which = z.strictObject({ kind: z.string().max(40) });

/** JSON Schema of what people write: for text editors, and for programs that check a document before it is sent. */
export async function schemas(app: App) {
  app.get('/api/schema', { config: { open: true }, schema: { response } }, async () => anyDocumentSchema());
  app.get('/api/schema/:kind', { config: { open: true }, schema: { params: Which, response } }, async (req) => {
    const wanted = req.params.kind.toLowerCase();
    const kind = (Object.keys(kinds) as Kind[]).find((k) => k.toLowerCase() === wanted);
    if (!kind) throw new Refusal('not-found', `There is no kind ${req.params.kind}; kinds are ${Object.keys(kinds).join(', ')}.`);
    return jsonSchemaOf(kind);
  });
}
