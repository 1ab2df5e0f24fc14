import type { Dialer, HttpAsk, Target } from './dialer.ts';
import { ProtocolError } from './errors.ts';

/** Asks for JSON with a bound on its size. @throws ProtocolError `credentials` on 401 and 403, `missing` on 404, `answer` on the rest and on what is not JSON. */
export async function askJson<T>(
  dialer: Dialer,
  target: Target,
  ask: Omit<HttpAsk, 'body'> & { body?: unknown },
  limit = 8_000_000,
): Promise<{ status: number; headers: Record<string, string | string[] | undefined>; json: T }> {
  const where = `${target.host}:${target.port}`;
  const r = await dialer.ask(target, {
    path: ask.path,
    ...(ask.method ? { method: ask.method } : {}),
    ...(ask.signal ? { signal: ask.signal } : {}),
    ...(ask.timeoutMs ? { timeoutMs: ask.timeoutMs } : {}),
    headers: {
      accept: 'application/json',
      ...(ask.body === undefined ? {} : { 'content-type': 'application/json' }),
      ...ask.headers,
    },
    ...(ask.body === undefined ? {} : { body: typeof ask.body === 'string' ? ask.body : JSON.stringify(ask.body) }),
  });
  const chunks: Buffer[] = [];
  let size = 0;
  try {
    for await (const chunk of r.body) {
      size += (chunk as Buffer).length;
      if (size > limit) {
        r.body.destroy();
        throw new ProtocolError('answer', where, `its answer to ${ask.path} is larger than ${limit} bytes`);
      }
      chunks.push(chunk as Buffer);
    }
  } catch (cause) {
    throw ProtocolError.from(cause, where);
  }
  const text = Buffer.concat(chunks).toString('utf8');
  if (r.status === 401 || r.status === 403)
    throw new ProtocolError('credentials', where, `it refuses the credentials (${r.status})`, r.status);
  if (r.status === 404) throw new ProtocolError('missing', where, `it has nothing at ${ask.path}`, 404);
  let json: unknown;
  try {
    json = text ? JSON.parse(text) : undefined;
  } catch {
    throw new ProtocolError(
      'answer',
      where,
      `its answer to ${ask.path} is not JSON: ${JSON.stringify(text.slice(0, 80))}`,
      r.status,
    );
  }
  if (r.status >= 400)
    throw new ProtocolError(
      r.status === 429 || r.status === 503 ? 'busy' : 'answer',
      where,
      `it answered ${r.status} to ${ask.method ?? 'GET'} ${ask.path}: ${messageOf(json) ?? text.slice(0, 200)}`,
      r.status,
    );
  return { status: r.status, headers: r.headers, json: json as T };
}

function messageOf(json: unknown): string | undefined {
  const j = json as { message?: string; error?: { message?: string }; errors?: { message?: string }[] } | undefined;
  return j?.message ?? j?.error?.message ?? j?.errors?.[0]?.message;
}
