import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { exampleAnswers, exampleRequests } from '../src/api-examples.ts';
import { errorsTable } from '../src/refusal-words.ts';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { z } from 'zod';
import { Installation } from './installation.ts';

const i = new Installation();
beforeAll(() => i.start());
afterAll(() => i.stop());

interface Schemas {
  params?: z.ZodType;
  querystring?: z.ZodType;
  body?: z.ZodType;
  response?: Record<string, z.ZodType>;
}
/** A request as its example says it; what is not in the example's state is refused, which is an answer too. */
function requestOf(method: string, url: string): { path: string; body: unknown } {
  const { params = {}, query = {}, body } = exampleRequests[`${method} ${url}`] ?? {};
  const path = url.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent(String(params[name] ?? 'nothing-of-that-name')));
  const asked = new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)])).toString();
  return { path: asked ? `${path}?${asked}` : path, body: method === 'GET' ? undefined : (body ?? {}) };
}
/** A good answer as an example: lists of two, no text longer than a line. */
function shortened(value: unknown): unknown {
  if (value === '127.0.0.1') return '10.41.0.17';
  if (typeof value === 'string') return value.length > 160 ? `${value.slice(0, 150)}…` : value;
  if (Array.isArray(value)) return value.slice(0, 2).map(shortened);
  if (value && typeof value === 'object') return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, shortened(v)]));
  return value;
}
/** Longer answers are described by their schema alone. */
const longest = 4000;

/** Answers that are no JSON: files, streams, pages, and where a browser is led. */
const plain =
  /\/(snapshot\.db|volume\.tar|export|events|docs|openapi\.json|files\/|kit\.tar\.gz|cases|kits|evidence|kubeconfig|shell|zonefile|file)|\.csv|\.conf|\.json$|\/sign-out$|\/sign-in\/(begin|back)$/;

it('the codes of refusals stand in the docs as they stand in the code', () => {
  expect(readFileSync(join(import.meta.dirname, '../../../docs/errors.md'), 'utf8')).toContain(errorsTable());
});

describe('the API', () => {
  it('every route says what it takes and what it answers', () => {
    const routes = i.running.app.actsOfRoutes.filter((r) => r.method !== 'HEAD' && r.url.startsWith('/api/'));
    expect(routes.length).toBeGreaterThan(80);
    const lacking = routes.filter((r) => {
      const schema = schemaOf(r.method, r.url);
      const answers = schema.response && Object.keys(schema.response).some((k) => k.startsWith('2'));
      return (r.url.includes(':') && !schema.params) || (!answers && !plain.test(r.url));
    });
    expect(lacking.map((r) => `${r.method} ${r.url}`)).toEqual([]);
  });
  it('every route answers as its schema says, whether it does or refuses', async () => {
    const c = await i.as('warden');
    const wrong: string[] = [];
    let good = 0;
    const recorded: typeof exampleAnswers = {};
    for (const r of i.running.app.actsOfRoutes) {
      if (r.method === 'HEAD' || !r.url.startsWith('/api/') || plain.test(r.url)) continue;
      const key = `${r.method} ${r.url}`;
      const { path, body } = requestOf(r.method, r.url);
      const a = await c.call<Record<string, unknown>>(r.method, path, body);
      const schemas = schemaOf(r.method, r.url).response ?? {};
      const schema = schemas[`${String(a.status)[0]}xx`];
      const read = schema?.safeParse(a.body);
      if (a.status >= 500 && a.status !== 502) wrong.push(`${key}: ${a.status} ${a.body.message}`);
      else if (!read?.success) wrong.push(`${key}: ${a.status} ${read?.error.message ?? 'no schema'}`);
      if (a.status < 300) {
        good++;
        const example = shortened(a.body);
        if (JSON.stringify(example).length < longest && schema?.safeParse(example).success)
          recorded[key] = { status: a.status, body: example };
      }
    }
    expect(wrong).toEqual([]);
    // The rest refuses what is not there, which is an answer too.
    expect(good).toBeGreaterThan(30);
    if (process.env.RECORD_ANSWERS) writeFileSync(process.env.RECORD_ANSWERS, `${JSON.stringify(recorded, null, 1)}\n`);
  });
  it('every route that takes something has an example, which fits what it takes and what it answers', () => {
    const wrong: string[] = [];
    for (const r of i.running.app.actsOfRoutes.filter((x) => x.method !== 'HEAD' && x.url.startsWith('/api/'))) {
      const key = `${r.method} ${r.url}`;
      const schema = schemaOf(r.method, r.url);
      const asked = exampleRequests[key];
      for (const [what, value] of [
        ['params', asked?.params],
        ['querystring', asked?.query ?? {}],
        ['body', asked?.body],
      ] as const) {
        const read = schema[what]?.safeParse(value);
        if (read && !read.success)
          wrong.push(`${key}, ${what}: ${read.error.issues.map((e) => `${e.path.join('.')} ${e.message}`).join('; ')}`);
      }
      const answer = exampleAnswers[key];
      const good = answer && schema.response?.[`${String(answer.status)[0]}xx`]?.safeParse(answer.body);
      if (good && !good.success) wrong.push(`${key}, answer: ${good.error.message}`);
    }
    const routes = new Set(i.running.app.actsOfRoutes.map((r) => `${r.method} ${r.url}`));
    wrong.push(...Object.keys({ ...exampleRequests, ...exampleAnswers }).filter((key) => !routes.has(key)));
    expect(wrong).toEqual([]);
    expect(Object.keys(exampleAnswers).length).toBeGreaterThan(30);
  });
  it('is described with what it answers, and how it refuses', async () => {
    const { paths } = await (await i.as('reader')).good<{ paths: Record<string, Record<string, { responses: object }>> }>(
      'GET',
      '/api/openapi.json',
    );
    for (const [path, methods] of Object.entries(paths))
      if (path.startsWith('/api/') && !plain.test(path.replace(/\{(\w+)\}/g, ':$1')))
        for (const [method, o] of Object.entries(methods))
          if (method !== 'head')
            expect([path, method, Object.keys(o.responses)]).toEqual([path, method, expect.arrayContaining(['4XX'])]);
    const reserve = JSON.stringify(paths['/api/addresses/reserve']);
    expect(reserve).toContain('a light at the pier');
    expect(reserve).toContain('Did you mean lr-02?');
  });
});

function schemaOf(method: string, url: string): Schemas {
  return (i.running.app.actsOfRoutes.find((r) => r.method === method && r.url === url)?.schema ?? {}) as Schemas;
}
