import { portedHost, type SignInFault, type SignInProvider } from '@praesidor/core/access';
import { ProtocolError } from '@praesidor/protocols/dial';
import * as oidc from 'openid-client';
import type { EntityManager } from 'typeorm';
import { rightsOf } from '../access/permit.ts';
import { credential } from '../areas/keyring/service.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { hashed, newToken } from './seal.ts';
import type { Found } from './sign-ins.ts';

/** Minutes that somebody has at the provider. */
const minutes = 10;
/** Sign-ins that are begun from one address in that time. */
const mostFromOne = 100;
/** Seconds that two clocks may differ (OpenID Connect Core 1.0, section 3.1.3.7, number 10). */
const skew = 300;
/** Bytes of one answer. */
const most = 256 * 1024;
const patience = 10_000;

/** Somebody was not signed in: why, for the page, and the cause, for the log. */
export class NotSignedIn extends Error {
  constructor(
    readonly fault: SignInFault,
    cause: string,
  ) {
    super(cause);
    this.name = 'NotSignedIn';
  }
}

export const providerOf = async (m: EntityManager): Promise<SignInProvider | undefined> =>
  ((await m.query('select doc from sign_in_provider')) as { doc: SignInProvider }[])[0]?.doc;

/** Where the provider sends people back to. It is given to whoever runs the provider. */
export const backAt = (ctx: Context): string => `${ctx.config.publicUrl}/api/sign-in/back`;

/** A page of this installation, and nothing else: an address that leads elsewhere would send people there after they signed in. */
export const ownPage = (back: string | undefined): string =>
  back && /^\/(?![/\\])[\x21-\x7e]*$/.test(back) && !back.includes('\\') ? back.slice(0, 500) : '/estate';

/** What the provider says of itself, read anew: its keys change, and what is signed with a new one is checked with that. */
export async function discover(ctx: Context, p: SignInProvider): Promise<oidc.Configuration> {
  const { host, port } = portedHost(p.issuer);
  const key =
    p.credential === undefined
      ? undefined
      : await credential(ctx.config, ctx.db.manager, p.credential, { use: 'other', document: 'the sign-in provider', host });
  const ask: oidc.CustomFetch = async (url, o) => {
    const u = new URL(url);
    const where = `${host}:${port}`;
    // What it describes lies where it was declared: it cannot send this server, or the secret, elsewhere.
    if (u.origin !== new URL(p.issuer).origin)
      throw new NotSignedIn('answer', `its description names ${u.origin}, which is not ${where}`);
    const { status, headers, body } = await ctx.dialer.ask(
      { purpose: 'sign-in', host, port, tls: true, trust: { ca: p.ca }, ...(key ? { leash: key.leash } : {}) },
      {
        method: o.method,
        path: `${u.pathname}${u.search}`,
        headers: o.headers as Record<string, string>,
        ...(o.body ? { body: String(o.body) } : {}),
        timeoutMs: patience,
      },
    );
    const chunks: Buffer[] = [];
    let size = 0;
    for await (const chunk of body) {
      size += (chunk as Buffer).length;
      if (size > most) throw new ProtocolError('answer', where, `its answer is larger than ${most} bytes`);
      chunks.push(chunk as Buffer);
    }
    const flat = Object.entries(headers).flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)] as [string, string]]));
    return new Response([204, 304].includes(status) ? null : Buffer.concat(chunks), { status, headers: flat });
  };
  return oidc.discovery(
    new URL(p.issuer),
    p.client,
    { [oidc.clockTolerance]: skew },
    key ? oidc.ClientSecretBasic(key.secret) : oidc.None(),
    // Its tokens are held against its keys although they come over TLS: both must be right.
    {
      [oidc.customFetch]: ask,
      timeout: patience / 1000,
      // What this server asks goes over TLS whatever is said here; a page on somebody's own machine need not.
      execute: [oidc.enableNonRepudiationChecks, oidc.allowInsecureRequests],
    },
  );
}

/** Why it went wrong, by what the library or the way out says. */
export function faultOf(e: unknown): NotSignedIn {
  const causes: { code?: unknown; message?: string; error?: unknown }[] = [];
  for (let c: unknown = e; c instanceof Error && causes.length < 6; c = c.cause) {
    if (c instanceof NotSignedIn) return c;
    if (c instanceof ProtocolError) return new NotSignedIn(c.fault === 'answer' ? 'answer' : 'away', c.message);
    if (c instanceof Refusal) return new NotSignedIn('answer', c.message);
    causes.push(c as (typeof causes)[number]);
  }
  const said = causes.map((c) => c.message).join(': ');
  const codes = causes.map((c) => c.code);
  const is = (...names: string[]) => codes.some((c) => names.includes(String(c)));
  if (e instanceof oidc.AuthorizationResponseError)
    return e.error === 'access_denied' || e.error === 'login_required'
      ? new NotSignedIn('refused', `it answers ${e.error}`)
      : new NotSignedIn(
          e.error === 'server_error' || e.error === 'temporarily_unavailable' ? 'away' : 'answer',
          `it answers ${e.error}`,
        );
  if (is('OAUTH_TIMEOUT')) return new NotSignedIn('away', said);
  if (is('OAUTH_JWT_TIMESTAMP_CHECK_FAILED')) return new NotSignedIn('clock', said);
  if (is('OAUTH_KEY_SELECTION_FAILED') || /signature verification failed/i.test(said)) return new NotSignedIn('key', said);
  return new NotSignedIn('answer', said || String(e));
}

/**
 * Begins a sign-in at the provider: with a secret that this browser keeps, one that goes through the provider, and one
 * that only this server has (RFC 7636), so that what comes back is taken of the browser that went, once.
 */
export async function beginAtProvider(
  ctx: Context,
  at: { back: string; address: string },
): Promise<{ url: string; browser: string; minutes: number }> {
  const p = await providerOf(ctx.db.manager);
  if (!p) throw new NotSignedIn('off', 'none is set');
  const [state, browser, nonce, verifier] = [newToken(), newToken(), newToken(), oidc.randomPKCECodeVerifier()];
  // Put down before it is counted: a thousand at once are a thousand.
  await ctx.db.manager.query(
    'with old as (delete from sign_in_begun where at < now() - make_interval(mins => $7)) insert into sign_in_begun (state_hash, browser_hash, verifier, nonce, back, address) values ($1, $2, $3, $4, $5, $6)',
    [hashed(state), hashed(browser), verifier, nonce, at.back, at.address, minutes],
  );
  const [n] = (await ctx.db.manager.query(
    'select count(*)::int as n from sign_in_begun where address = $1 and at > now() - make_interval(mins => $2)',
    [at.address, minutes],
  )) as { n: number }[];
  if ((n?.n ?? 0) > mostFromOne) {
    // What is held off is not kept: whoever asks again and again fills no table.
    await ctx.db.manager.query('delete from sign_in_begun where state_hash = $1', [hashed(state)]);
    throw new NotSignedIn('many', `more than ${mostFromOne} from ${at.address} in ${minutes} min`);
  }
  try {
    const config = await discover(ctx, p);
    const url = oidc.buildAuthorizationUrl(config, {
      redirect_uri: backAt(ctx),
      scope: 'openid profile email',
      state,
      nonce,
      code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
    });
    if (url.protocol !== 'https:' && !['127.0.0.1', '[::1]', 'localhost'].includes(url.hostname))
      throw new NotSignedIn('answer', `it asks for passwords at ${url.origin}, which is not over TLS`);
    return { url: url.href, browser, minutes };
  } catch (e) {
    throw faultOf(e);
  }
}

/** Ends it: what the browser brought back is exchanged and checked, and it is found whose account it is. @throws NotSignedIn */
export async function endAtProvider(
  ctx: Context,
  came: { query: string; state: string; browser: string },
): Promise<{ account: Found; back: string; title: string }> {
  // Taken before anything else: of two that bring the same, one ends it.
  const [begun] = (await ctx.db.manager.query(
    'with d as (delete from sign_in_begun where state_hash = $1 and browser_hash = $2 and at > now() - make_interval(mins => $3) returning verifier, nonce, back) select * from d',
    [hashed(came.state), hashed(came.browser), minutes],
  )) as { verifier: string; nonce: string; back: string }[];
  if (!begun) throw new NotSignedIn('ended', 'nothing of the kind was begun in this browser');
  const p = await providerOf(ctx.db.manager);
  if (!p) throw new NotSignedIn('off', 'none is set');
  const them = await whoIs(ctx, p, came, begun).catch((e) => {
    throw faultOf(e);
  });
  return { account: await ctx.db.transaction((m) => accountOf(m, p, them)), back: begun.back, title: p.title };
}

interface Them {
  issuer: string;
  subject: string;
  /** What the claim says, if it says anything. */
  login: string | undefined;
  name: string | undefined;
}
async function whoIs(
  ctx: Context,
  p: SignInProvider,
  came: { query: string; state: string },
  begun: { verifier: string; nonce: string },
): Promise<Them> {
  const config = await discover(ctx, p);
  const tokens = await oidc.authorizationCodeGrant(config, new URL(`${backAt(ctx)}?${came.query}`), {
    pkceCodeVerifier: begun.verifier,
    expectedNonce: begun.nonce,
    expectedState: came.state,
    idTokenExpected: true,
  });
  const claims = tokens.claims();
  if (!claims) throw new NotSignedIn('answer', 'it sent no ID token');
  const off = Math.round(claims.iat - Date.now() / 1000);
  if (Math.abs(off) > skew) throw new NotSignedIn('clock', `its clock is ${Math.abs(off)} s ${off > 0 ? 'ahead' : 'behind'}`);
  const more =
    claims[p.claim] === undefined && config.serverMetadata().userinfo_endpoint
      ? await oidc.fetchUserInfo(config, tokens.access_token, claims.sub)
      : {};
  const text = (name: string): string | undefined => {
    const v = claims[name] ?? (more as Record<string, unknown>)[name];
    return typeof v === 'string' && v.trim() ? v.trim() : undefined;
  };
  return { issuer: claims.iss, subject: claims.sub, login: text(p.claim)?.toLowerCase(), name: text('name') };
}

/**
 * Whose account it is. Once somebody has come, it is theirs by issuer and subject, whatever they are called later; before
 * that by the claim, where a warden let that account sign in by the provider.
 */
async function accountOf(m: EntityManager, p: SignInProvider, them: Them): Promise<Found> {
  const [bound] = (await m.query(
    `select login, name, ${rightsOf('account')}, disabled from account where issuer = $1 and subject = $2 for update`,
    [them.issuer, them.subject],
  )) as (Found & { disabled: boolean })[];
  const found = bound ?? (await firstTime(m, p, them));
  if (found.disabled) throw new NotSignedIn('disabled', found.login);
  const { login, name, role, sites, teams } = found;
  return { login, name, role, sites, teams };
}
async function firstTime(m: EntityManager, p: SignInProvider, them: Them): Promise<Found & { disabled: boolean }> {
  const { login } = them;
  if (!login) throw new NotSignedIn('unknown', `no claim ${p.claim} came with ${them.subject}`);
  const bind = async () =>
    (
      (await m.query(
        `with b as (update account set issuer = $2, subject = $3, changed_at = now() where login = $1 and sign_in <> 'password' and subject is null returning *) select login, name, ${rightsOf('b')}, disabled from b`,
        [login, them.issuer, them.subject],
      )) as (Found & { disabled: boolean })[]
    )[0];
  const there = await bind();
  if (there) {
    await record(m, login, 'signed in by the provider for the first time', login, { subject: them.subject, issuer: them.issuer });
    return there;
  }
  if (p.newcomers === 'refused' || !/^[a-z0-9]([a-z0-9._-]{0,38}[a-z0-9])?$/.test(login))
    throw new NotSignedIn('unknown', `there is no account ${login.slice(0, 60)} that signs in by the provider`);
  const made = (await m.query(
    // No password has this digest.
    "insert into account (login, name, role, password_hash, sign_in) values ($1, $2, 'reader', '', 'provider') on conflict (login) do nothing returning login",
    [login, (them.name ?? login).slice(0, 80)],
  )) as unknown[];
  const mine = made.length ? await bind() : undefined;
  if (!mine) throw new NotSignedIn('unknown', `the account ${login} is somebody else's, or signs in with a password`);
  await record(m, login, 'made an account', login, {
    role: 'reader',
    by: p.title,
    subject: them.subject,
    issuer: them.issuer,
  });
  return mine;
}
