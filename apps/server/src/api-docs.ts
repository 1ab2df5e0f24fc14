import { acts } from '@praesidor/core/access';
import type { FastifyInstance } from 'fastify';

interface Operation {
  summary?: string;
  parameters?: { name: string; in: string; required?: boolean; schema?: Schema }[];
  requestBody?: { content?: Record<string, { schema?: Schema }> };
}
interface Schema {
  type?: string | string[];
  enum?: unknown[];
  const?: unknown;
  format?: string;
  pattern?: string;
  minimum?: number;
  maximum?: number;
  maxLength?: number;
  default?: unknown;
  items?: Schema;
  properties?: Record<string, Schema>;
  required?: string[];
  anyOf?: Schema[];
  oneOf?: Schema[];
}

const html = (text: string) => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);

/** A schema in a line: what it is, and its bounds. */
function kindOf(s: Schema | undefined): string {
  if (!s) return 'anything';
  const options = s.anyOf ?? s.oneOf;
  if (options) return options.map(kindOf).join(' or ');
  if (s.const !== undefined) return JSON.stringify(s.const);
  if (s.enum) return s.enum.map((e) => JSON.stringify(e)).join(' | ');
  if (s.type === 'array') return `list of ${kindOf(s.items)}`;
  const bounds = [
    s.format,
    s.minimum !== undefined && s.minimum > -1e15 ? `≥ ${s.minimum}` : '',
    s.maximum !== undefined && s.maximum < 1e15 ? `≤ ${s.maximum}` : '',
    s.maxLength ? `at most ${s.maxLength} characters` : '',
    s.default === undefined ? '' : `usually ${JSON.stringify(s.default)}`,
  ].filter(Boolean);
  return [[s.type ?? 'anything'].flat().join(' or '), ...bounds].join(', ');
}

function fields(s: Schema | undefined, depth = 0): string {
  const shape = s?.type === 'array' ? s.items : s;
  const options = shape?.anyOf ?? shape?.oneOf;
  if (options?.some((o) => o.properties)) return options.map((o) => fields(o, depth)).join('<p>or</p>');
  if (!shape?.properties || depth > 3) return '';
  const rows = Object.entries(shape.properties).map(
    ([name, f]) =>
      `<tr><td><code>${html(name)}</code>${shape.required?.includes(name) ? '' : ' <i>optional</i>'}</td><td>${html(kindOf(f))}${fields(f, depth + 1)}</td></tr>`,
  );
  return `<table>${rows.join('')}</table>`;
}

const style = `body{font:14px/1.5 sans-serif;max-width:70em;margin:2em auto;padding:0 1em;background:#efece4;color:#17212b}
h1,h2{font-family:serif}h2{margin-top:2em;border-bottom:1px solid #b7af9d}h3{margin:1.4em 0 .2em;font-size:15px}
code{font-family:monospace}table{border-collapse:collapse;margin:.3em 0}td{border-top:1px solid #d9d3c5;padding:.15em 1em .15em 0;vertical-align:top}
a{color:#17695e}.act{color:#48535e}`;

/** A page to read what `/api/openapi.json` says: every operation with its act, who may do it, and what it takes. */
export async function apiDocs(app: FastifyInstance) {
  app.get('/api/docs', { config: { open: true } }, async (_req, reply) => {
    const { paths = {} } = app.swagger() as unknown as { paths?: Record<string, Record<string, Operation>> };
    const actOf = new Map(app.actsOfRoutes.map((r) => [`${r.method} ${r.url.replace(/:(\w+)/g, '{$1}')}`, r.act]));
    const groups = new Map<string, string[]>();
    for (const [path, methods] of Object.entries(paths))
      for (const [method, o] of Object.entries(methods)) {
        if (!path.startsWith('/api/')) continue;
        const act = actOf.get(`${method.toUpperCase()} ${path}`);
        const who = act ? `To ${acts[act].does}: <b>${acts[act].role}</b> or above (<code>${act}</code>)` : 'For everybody';
        const body = Object.values(o.requestBody?.content ?? {})[0]?.schema;
        const group = path.split('/')[2] ?? '';
        const text = `<h3><code>${method.toUpperCase()} ${html(path)}</code></h3><p class="act">${who}</p>${
          o.parameters?.length
            ? `<table>${o.parameters.map((p) => `<tr><td><code>${html(p.name)}</code> in ${p.in === 'path' ? 'the path' : 'the query'}</td><td>${html(kindOf(p.schema))}</td></tr>`).join('')}</table>`
            : ''
        }${body ? `<p>Body</p>${fields(body) || `<p>${html(kindOf(body))}</p>`}` : ''}`;
        groups.set(group, [...(groups.get(group) ?? []), text]);
      }
    const list = [...groups].sort(([a], [b]) => (a < b ? -1 : 1));
    return reply.type('text/html; charset=utf-8').send(
      `<!doctype html><html lang="en"><meta charset="utf-8"><title>Praesidor API</title><style>${style}</style><h1>API of Praesidor</h1>
<p>A program sends a token in the header <code>Authorization: Bearer …</code>: it may what it was made for (People, Tokens), and needs nothing else. A browser signs in with <code>POST /api/sign-in</code>: it answers a <code>csrf</code> value and sets a cookie. Every request of it that changes something carries both,
the value in the header <code>x-csrf-token</code>. Refusals are JSON with <code>code</code>, <code>message</code>, and mostly <code>remedy</code> and <code>places</code>.
For programs: <a href="/api/openapi.json">openapi.json</a> (OpenAPI 3.1).</p>
<p>${list.map(([g]) => `<a href="#${g}">${g}</a>`).join(' · ')}</p>
${list.map(([g, texts]) => `<h2 id="${g}">${g}</h2>${texts.join('\n')}`).join('\n')}</html>`,
    );
  });
}
