import type { IncomingMessage, ServerResponse } from 'node:http';
import { type Grant, readBasic } from './login.ts';
import { json, refuse, type Running } from './running.ts';

const everything = [{ name: '*', actions: ['pull', 'push', 'delete'] }];

export async function whoIs(o: Running, req: IncomingMessage): Promise<Grant | 'nobody' | 'wrong' | 'ended'> {
  if (!o.login) return { user: 'anyone', writes: true, access: everything };
  const header = req.headers.authorization;
  if (!header) return 'nobody';
  if (/^bearer /i.test(header)) return o.tokens.read(header.slice(7).trim());
  const shown = readBasic(header);
  const who = shown && (await o.login(shown.user, shown.password, req.socket.remoteAddress));
  return who ? { ...who, access: everything } : 'wrong';
}

export function challenge(
  o: Running,
  req: IncomingMessage,
  res: ServerResponse,
  over: string | undefined,
  need: string,
  why: 'nobody' | 'wrong' | 'ended',
) {
  const service = req.headers.host ?? 'registry';
  const scope =
    over === '*'
      ? ',scope="registry:catalog:*"'
      : over
        ? `,scope="repository:${over}:${need === 'pull' ? 'pull' : `pull,${need}`}"`
        : '';
  res.setHeader(
    'www-authenticate',
    o.scheme === 'bearer'
      ? `Bearer realm="${o.tls ? 'https' : 'http'}://${service}/token",service="${service}"${scope}${why === 'nobody' ? '' : ',error="invalid_token"'}`
      : 'Basic realm="registry"',
  );
  refuse(
    res,
    401,
    'UNAUTHORIZED',
    why === 'ended' ? 'the token has ended; get a new one' : 'log in with the credentials of this registry',
  );
}

export async function giveToken(o: Running, url: URL, req: IncomingMessage, res: ServerResponse) {
  const shown = readBasic(req.headers.authorization);
  const who = o.login
    ? shown && (await o.login(shown.user, shown.password, req.socket.remoteAddress))
    : { user: 'anyone', writes: true };
  if (!who) {
    res.setHeader('www-authenticate', 'Basic realm="registry"');
    return refuse(res, 401, 'UNAUTHORIZED', 'log in with the credentials of this registry');
  }
  const access = url.searchParams.getAll('scope').flatMap((scope) => {
    if (scope === 'registry:catalog:*') return [{ name: '*', actions: who.writes ? ['pull', 'push', 'delete'] : ['pull'] }];
    const m = /^repository:([^:]+):([a-z,*]+)$/.exec(scope);
    if (!m) return [];
    const asked = (m[2] as string).split(',').flatMap((a) => (a === '*' ? ['pull', 'push', 'delete'] : [a]));
    return [{ name: m[1] as string, actions: asked.filter((a) => a === 'pull' || who.writes) }];
  });
  const token = o.tokens.give({ ...who, access });
  json(res, { token, access_token: token, expires_in: o.tokens.seconds, issued_at: (o.now?.() ?? new Date()).toISOString() });
}
