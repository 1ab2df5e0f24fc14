import { setTimeout as pause } from 'node:timers/promises';
import {
  type Dialer,
  type HttpAnswer,
  endpointOf,
  type HttpAsk,
  type Leash,
  ProtocolError,
  type Target,
  type Trust,
} from '../dial/index.ts';

/** A registry as seen from here: an OCI distribution 1.1 endpoint with optional credentials. */
export interface RegistryAt {
  dialer: Dialer;
  endpoint: string;
  trust?: Trust;
  user?: string;
  password?: string;
  /** Says where the credentials may not go. */
  leash?: Leash | undefined;
  signal?: AbortSignal;
}

export function targetOf(r: RegistryAt): Target {
  return { purpose: 'registry', ...endpointOf(r.endpoint), tls: true, leash: r.leash, ...(r.trust ? { trust: r.trust } : {}) };
}
export const headersOf = (r: RegistryAt): Record<string, string> =>
  r.user ? { authorization: `Basic ${Buffer.from(`${r.user}:${r.password ?? ''}`).toString('base64')}` } : {};

/** Tokens got from a registry that wants them, by scope; they live as long as the object that stands for it. */
const tokens = new WeakMap<RegistryAt, Map<string, { token: string; until: number }>>();

const scopeOf = (o: HttpAsk): string => {
  const repo = /^\/v2\/(.+?)\/(?:blobs|manifests|tags|referrers)\//.exec(o.path)?.[1];
  const method = o.method ?? 'GET';
  const actions = method === 'GET' || method === 'HEAD' ? 'pull' : method === 'DELETE' ? 'pull,delete' : 'pull,push';
  return repo ? `repository:${repo}:${actions}` : '';
};

/**
 * One request with the credentials of the registry, in the way it asks for them: with each request (RFC 7617), or
 * with a token that is got for it (RFC 6750) and got anew when it ends. Told to come again later (429, 503 with
 * Retry-After), it does, a few times. A body that is a stream is sent once: its sender goes on with what is left.
 */
export async function ask(r: RegistryAt, o: HttpAsk): Promise<HttpAnswer> {
  const once = typeof o.body === 'object' && !Buffer.isBuffer(o.body);
  for (let tries = 0, fresh = false; ; tries++) {
    const known = tokens.get(r)?.get(scopeOf(o));
    const auth = known && known.until > Date.now() ? { authorization: `Bearer ${known.token}` } : headersOf(r);
    let a: HttpAnswer;
    try {
      a = await r.dialer.ask(targetOf(r), {
        ...o,
        headers: { ...auth, ...o.headers },
        ...(r.signal ? { signal: r.signal } : {}),
      });
    } catch (e) {
      // A kept connection may be closed at the very moment at which it is used: what can be asked again is.
      if (once || tries >= 2 || !(e instanceof ProtocolError && e.fault === 'cut')) throw e;
      await pause(50);
      continue;
    }
    if (a.status === 401 && r.user && !fresh && (await renew(r, o, a))) {
      fresh = true;
      await a.body.dump();
      if (!once) continue;
      throw new ProtocolError('cut', r.endpoint, 'the token ended in the middle of an upload', 401);
    }
    const wait = a.status === 429 || a.status === 503 ? retryAfter(a) : undefined;
    if (wait === undefined || once || tries >= 5) return a;
    await a.body.dump();
    await pause(wait, undefined, r.signal ? { signal: r.signal } : {}).catch((e: unknown) => {
      throw ProtocolError.from(e, r.endpoint);
    });
  }
}

/** Milliseconds to wait: seconds or a date as it says (RFC 9110 §10.2.3), at most a minute; a second where it says nothing. */
export function retryAfter(a: Pick<HttpAnswer, 'headers'>): number {
  const said = String(a.headers['retry-after'] ?? '1').trim();
  const ms = /^\d+$/.test(said) ? Number(said) * 1000 : Date.parse(said) - Date.now();
  return Math.min(60_000, Math.max(50, Number.isNaN(ms) ? 1000 : ms));
}

/** Gets a token where a challenge asks for one. Credentials go to nobody but the registry itself. */
async function renew(r: RegistryAt, o: HttpAsk, a: HttpAnswer): Promise<boolean> {
  const challenge = String(a.headers['www-authenticate'] ?? '');
  if (!/^bearer /i.test(challenge)) return false;
  const says = Object.fromEntries([...challenge.matchAll(/(\w+)="([^"]*)"/g)].map((m) => [m[1], m[2]])) as Record<string, string>;
  let realm: URL;
  try {
    realm = new URL(says.realm ?? '');
  } catch {
    throw new ProtocolError('answer', r.endpoint, 'it asks for a token and does not say where to get one');
  }
  const target = targetOf(r);
  if (realm.protocol !== 'https:' || realm.hostname !== target.host || Number(realm.port || 443) !== target.port)
    throw new ProtocolError(
      'credentials',
      r.endpoint,
      `it sends us to ${realm.host} for a token; credentials are shown to nobody but itself`,
    );
  const scope = scopeOf(o);
  for (const [k, v] of [
    ['service', says.service ?? ''],
    ['scope', says.scope ?? scope],
  ] as const)
    if (v) realm.searchParams.set(k, v);
  const got = await r.dialer.ask(target, {
    path: `${realm.pathname}${realm.search}`,
    headers: headersOf(r),
    ...(r.signal ? { signal: r.signal } : {}),
  });
  if (got.status !== 200) return bad(r, got, 'it gives no token');
  const json = (await got.body.json().catch(() => ({}))) as { token?: string; access_token?: string; expires_in?: number };
  const token = json.token ?? json.access_token;
  if (!token) throw new ProtocolError('answer', r.endpoint, 'what it gives for a token is none');
  const list = tokens.get(r) ?? new Map<string, { token: string; until: number }>();
  // Let go a little early: what is begun with it should end with it.
  list.set(scope, { token, until: Date.now() + Math.max(1, (json.expires_in ?? 60) * 0.9) * 1000 });
  tokens.set(r, list);
  return true;
}

/** What a refusal means, in the registry's own words where it has some. @throws ProtocolError always */
export async function bad(r: RegistryAt, a: HttpAnswer, what: string): Promise<never> {
  const { status } = a;
  const text = (await a.body.text().catch(() => '')).slice(0, 2000);
  let said = '';
  try {
    said = (JSON.parse(text) as { errors?: { message?: string }[] }).errors?.[0]?.message ?? '';
  } catch {
    /* not JSON: the status says enough */
  }
  const fault =
    status === 401 || status === 403
      ? 'credentials'
      : status === 404
        ? 'missing'
        : status === 507
          ? 'full'
          : status === 429 || status === 503
            ? 'busy'
            : 'answer';
  throw new ProtocolError(
    fault,
    r.endpoint,
    `${what}: ${said || `it answered ${status}`}`,
    status,
    fault === 'busy' ? retryAfter(a) : undefined,
  );
}
