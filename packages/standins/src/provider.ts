import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { createServer as createPlain, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer } from 'node:https';
import { exportJWK, generateKeyPair, type JWK, SignJWT } from 'jose';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';

/** A provider of sign-ins: what it is called, where it answers, whom it knows, and which programs may ask. */
export interface ProviderSpec {
  name: string;
  host: string;
  address: string;
  port: number;
  ca: string;
  /** Port on this machine where people sign in with a browser; 0: any that is free. */
  page: number;
  clients: { id: string; secret: string; redirects: string[] }[];
  people: { login: string; password: string; name: string; subject: string }[];
}
type Person = ProviderSpec['people'][number];
interface Asked {
  client: string;
  redirect: string;
  state: string | undefined;
  nonce: string | undefined;
  challenge: string;
}

const html = (text: string) => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
const same = (a: string, b: string) => {
  const of = (t: string) => createHash('sha256').update(t).digest();
  return timingSafeEqual(of(a), of(b));
};
/** A program on somebody's own machine listens at whichever port is free (RFC 8252, section 7.3). */
const anyPort = (uri: string) => uri.replace(/^(http:\/\/(?:127\.0\.0\.1|\[::1\])):\d+/, '$1');

/** OpenID Connect Core 1.0, the authorization code flow with PKCE (RFC 7636), described as in OpenID Connect Discovery 1.0. */
export class Provider {
  private keys: { kid: string; private: CryptoKey; public: JWK }[] = [];
  private readonly codes = new Map<string, { asked: Asked; person: Person; until: number }>();
  private readonly access = new Map<string, Person>();
  private pagePort = 0;
  /** By how many seconds its clock is ahead. */
  ahead = 0;

  constructor(
    readonly spec: ProviderSpec,
    private readonly faults: Faults,
  ) {}

  get issuer(): string {
    return `https://${this.spec.host}${this.spec.port === 443 ? '' : `:${this.spec.port}`}`;
  }
  private has = (kind: 'provider-silent' | 'provider-clock' | 'provider-key') => this.faults.has(kind, this.spec.name);

  /** Signs with another key from now on; those of before stay published unless they are forgotten. */
  async changeKey(forget = false): Promise<void> {
    const pair = await generateKeyPair('RS256', { extractable: true });
    const kid = randomBytes(6).toString('hex');
    const key = {
      kid,
      private: pair.privateKey,
      public: { ...(await exportJWK(pair.publicKey)), kid, use: 'sig', alg: 'RS256' },
    };
    this.keys = [key, ...(forget ? [] : this.keys)];
  }

  /** Where programs ask, over TLS. */
  server(pair: Pair): Server {
    return createServer({ cert: pair.cert, key: pair.key }, (req, res) => {
      if (this.has('provider-silent')) return;
      void this.program(req, res).catch(() => json(res, 500, { error: 'server_error' }));
    }) as unknown as Server;
  }
  /** Where people sign in, on this machine. */
  pages(): Server {
    const server = createPlain((req, res) => {
      if (this.has('provider-silent')) return;
      void this.person(req, res).catch(() => page(res, 500, '<p>Something went wrong.</p>'));
    });
    server.on('listening', () => {
      const at = server.address();
      if (at && typeof at === 'object') this.pagePort = at.port;
    });
    return server;
  }

  private async program(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', this.issuer);
    if (req.method === 'GET' && url.pathname === '/.well-known/openid-configuration')
      return json(res, 200, {
        issuer: this.issuer,
        authorization_endpoint: `http://127.0.0.1:${this.pagePort}/authorize`,
        token_endpoint: `${this.issuer}/token`,
        userinfo_endpoint: `${this.issuer}/userinfo`,
        jwks_uri: `${this.issuer}/keys`,
        response_types_supported: ['code'],
        subject_types_supported: ['public'],
        id_token_signing_alg_values_supported: ['RS256'],
        scopes_supported: ['openid', 'profile', 'email'],
        token_endpoint_auth_methods_supported: ['client_secret_basic'],
        code_challenge_methods_supported: ['S256'],
        authorization_response_iss_parameter_supported: true,
      });
    if (req.method === 'GET' && url.pathname === '/keys') return json(res, 200, { keys: this.keys.map((k) => k.public) });
    if (req.method === 'POST' && url.pathname === '/token') return this.token(req, res);
    if (url.pathname === '/userinfo') {
      const person = this.access.get(/^Bearer (\S+)$/i.exec(req.headers.authorization ?? '')?.[1] ?? '');
      if (!person) {
        res.setHeader('www-authenticate', 'Bearer error="invalid_token"');
        return json(res, 401, { error: 'invalid_token' });
      }
      return json(res, 200, { sub: person.subject, preferred_username: person.login, name: person.name });
    }
    json(res, 404, { error: 'not_found' });
  }

  private async token(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const form = new URLSearchParams(await read(req));
    const [id = '', secret = ''] = Buffer.from(/^Basic (\S+)$/i.exec(req.headers.authorization ?? '')?.[1] ?? '', 'base64')
      .toString()
      .split(':')
      .map((part) => decodeURIComponent(part.replace(/\+/g, ' ')));
    const client = this.spec.clients.find((c) => c.id === id);
    if (!client || !same(client.secret, secret)) {
      res.setHeader('www-authenticate', 'Basic realm="token"');
      return json(res, 401, { error: 'invalid_client' });
    }
    if (form.get('grant_type') !== 'authorization_code') return json(res, 400, { error: 'unsupported_grant_type' });
    const code = form.get('code') ?? '';
    const kept = this.codes.get(code);
    // Good once (RFC 6749, section 4.1.2).
    this.codes.delete(code);
    const proof = createHash('sha256')
      .update(form.get('code_verifier') ?? '')
      .digest('base64url');
    if (
      !kept ||
      kept.until < Date.now() ||
      kept.asked.client !== id ||
      kept.asked.redirect !== form.get('redirect_uri') ||
      kept.asked.challenge !== proof
    )
      return json(res, 400, { error: 'invalid_grant' });
    const [key] = this.keys;
    if (!key) return json(res, 500, { error: 'server_error' });
    const now = Math.floor(Date.now() / 1000) + (this.has('provider-clock') ? -3600 : this.ahead);
    const other = this.has('provider-key') ? (await generateKeyPair('RS256')).privateKey : key.private;
    const { person, asked } = kept;
    const idToken = await new SignJWT(asked.nonce === undefined ? {} : { nonce: asked.nonce })
      .setProtectedHeader({ alg: 'RS256', kid: key.kid })
      .setIssuer(this.issuer)
      .setSubject(person.subject)
      .setAudience(id)
      .setIssuedAt(now)
      .setExpirationTime(now + 300)
      .sign(other);
    const access = randomBytes(24).toString('base64url');
    this.access.set(access, person);
    json(res, 200, { access_token: access, token_type: 'Bearer', expires_in: 300, id_token: idToken });
  }

  private async person(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', `http://127.0.0.1:${this.pagePort}`);
    if (url.pathname !== '/authorize') return page(res, 404, '<p>Nothing here.</p>');
    const q = url.searchParams;
    const client = this.spec.clients.find((c) => c.id === q.get('client_id'));
    const redirect = q.get('redirect_uri') ?? '';
    // Nobody is sent to where no program was declared (RFC 6749, section 4.1.2.1).
    if (!client?.redirects.some((r) => anyPort(r) === anyPort(redirect)))
      return page(res, 400, '<p>The program that sent you here is not known.</p>');
    const state = q.get('state') ?? undefined;
    const back = (with_: Record<string, string>) => {
      const to = new URL(redirect);
      for (const [k, v] of Object.entries({ ...with_, ...(state === undefined ? {} : { state }), iss: this.issuer }))
        to.searchParams.set(k, v);
      res.writeHead(303, { location: to.href }).end();
    };
    if (q.get('response_type') !== 'code') return back({ error: 'unsupported_response_type' });
    if (!(q.get('scope') ?? '').split(' ').includes('openid')) return back({ error: 'invalid_scope' });
    const challenge = q.get('code_challenge') ?? '';
    if (q.get('code_challenge_method') !== 'S256' || !/^[\w-]{43}$/.test(challenge)) return back({ error: 'invalid_request' });
    if (req.method !== 'POST') return page(res, 200, this.form(''));
    const form = new URLSearchParams(await read(req));
    if (form.has('cancel')) return back({ error: 'access_denied' });
    const person = this.spec.people.find((p) => p.login === form.get('login'));
    if (!person || !same(person.password, form.get('password') ?? ''))
      return page(res, 200, this.form('<p><b>Login and password do not match.</b></p>'));
    const code = randomBytes(24).toString('base64url');
    const nonce = q.get('nonce') ?? undefined;
    this.codes.set(code, {
      asked: { client: client.id, redirect, state, nonce, challenge },
      person,
      until: Date.now() + 60_000,
    });
    back({ code });
  }
  private form = (said: string) =>
    `<h1>${html(this.spec.name)}</h1>${said}<form method="post"><p><label>Login <input name="login" autofocus></label></p><p><label>Password <input name="password" type="password"></label></p><p><button>Continue</button> <button name="cancel" value="yes">Cancel</button></p></form>`;
}

const json = (res: ServerResponse, status: number, body: object): void =>
  void res.writeHead(status, { 'content-type': 'application/json', 'cache-control': 'no-store' }).end(JSON.stringify(body));
const page = (res: ServerResponse, status: number, body: string): void =>
  void res
    .writeHead(status, { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store' })
    .end(`<!doctype html><title>Sign in</title><body style="font-family: sans-serif; margin: 12vh auto; width: 20rem">${body}`);
async function read(req: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 10_000) throw new Error('too large');
  }
  return text;
}
