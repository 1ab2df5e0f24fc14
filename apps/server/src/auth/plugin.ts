import * as answers from '@praesidor/contract';
import type { App } from '../app-type.ts';
import cookie from '@fastify/cookie';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import fp from 'fastify-plugin';
import { z } from 'zod';
import { type ActName, acts, looks, type Principal, reachesSite } from '@praesidor/core/access';
import { permit } from '../access/permit.ts';
import { placeOf, whereIs } from '../access/where.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { hashed, newToken } from './seal.ts';
import { asking, within } from './asking.ts';
import { Tokens } from './tokens.ts';
import { sessionsIn, type Who } from './sessions.ts';
import { Once } from './once.ts';
import { Rates } from './rate.ts';
import { providerRoutes } from './provider-routes.ts';
import { type Found, SignIns } from './sign-ins.ts';

declare module 'fastify' {
  interface FastifyContextConfig {
    /** What the route does, of the catalogue of acts; who may do that is decided there. */
    act?: ActName;
    /** For everybody, signed in or not. */
    open?: boolean;
  }
  interface FastifyInstance {
    /** Whether the session of a request that goes on for long still stands. */
    stillSignedIn: (req: FastifyRequest) => Promise<boolean>;
    /** Every route under `/api` with its act; for the docs and for the test that walks them. */
    actsOfRoutes: { method: string; url: string; act: ActName | undefined; schema: unknown }[];
  }
  interface FastifyRequest {
    who: Who;
    principal: Principal;
  }
}

/** What a program sends in place of a cookie (RFC 6750 §2.1). */
const bearer = (req: FastifyRequest): string | undefined => /^Bearer ([\w.~+/-]+=*)$/i.exec(req.headers.authorization ?? '')?.[1];

/** Whoever may do everything everywhere need not be asked where. */
const unbounded = (p: Principal): boolean =>
  p.kind === 'system' || (p.role === 'warden' && (p.kind === 'person' || !(p.only?.sites || p.only?.team)));

const cookieName = 'praesidor';
const sessionHours = 12;

/** Who asks, and whether they may: every request passes here. A route that names no act does not start. */
export const auth = fp(
  async (app: App, { ctx }: { ctx: Context }) => {
    await app.register(cookie);
    app.decorateRequest('who', undefined as never);
    app.decorateRequest('principal', undefined as never);
    const routes: FastifyInstance['actsOfRoutes'] = [];
    app.decorate('actsOfRoutes', routes);
    const sessions = sessionsIn(ctx.db);
    const tokens = new Tokens(ctx.db);
    const signIns = new SignIns(ctx.db);
    const rates = new Rates(ctx.config.tokenRates);
    const once = new Once(ctx.db);
    const sessionOf = async (req: FastifyRequest) => {
      const token = req.cookies[cookieName];
      return token ? sessions.find(hashed(token)) : undefined;
    };
    /** Who asks: by the token that a program sends, or by the session of a browser. */
    const whoAsks = async (req: FastifyRequest): Promise<{ who: Who; principal: Principal; token?: string } | undefined> => {
      const sent = bearer(req);
      if (sent === undefined) {
        const session = await sessionOf(req);
        return (
          session && {
            who: session,
            principal: { kind: 'person', login: session.login, role: session.role, sites: session.sites, teams: session.teams },
          }
        );
      }
      const found = await tokens.find(sent, req.ip);
      if (!found) return undefined;
      const { login, person, name, acts, only, ...rights } = found;
      const { role, sites, teams } = rights;
      return {
        who: { login, name: person, role, sites, teams, csrf: '', session: '' },
        principal: { kind: 'token', login, role, sites, teams, name, acts, only },
        token: `${login} ${name}`,
      };
    };
    app.decorate('stillSignedIn', async (req: FastifyRequest) => (await whoAsks(req)) !== undefined);
    // What is recorded of a request is recorded with where it came from.
    app.addHook('onRequest', (req, _reply, done) => within({ address: req.ip }, done));

    app.addHook('onRoute', (route) => {
      if (!route.url.startsWith('/api/')) return;
      const { act, open } = route.config ?? {};
      if (!open && !(act && Object.hasOwn(acts, act)))
        throw new Error(`${String(route.method)} ${route.url} names no act of the catalogue (core/access/acts.ts)`);
      if (route.method !== 'HEAD') routes.push({ method: String(route.method), url: route.url, act, schema: route.schema });
    });

    app.addHook('onRequest', async (req) => {
      const { act, open } = req.routeOptions.config ?? {};
      if (open || !act) return;
      const found = await whoAsks(req);
      if (!found)
        throw bearer(req) === undefined
          ? new Refusal('not-signed-in', 'You are not signed in, or your session has ended.', {
              remedy: 'Sign in again; what you typed stays on the page.',
            })
          : new Refusal('not-signed-in', 'The token is not known here, or it has ended.', {
              remedy: 'Make another one: People, Tokens.',
            });
      req.who = found.who;
      req.principal = found.principal;
      const asked = asking();
      if (asked && found.principal.kind === 'token') asked.token = found.principal.name;
      // A browser sends its cookie whoever made the page; a token is sent by who has it.
      const page = found.principal.kind === 'person';
      if (page && req.method !== 'GET' && req.method !== 'HEAD' && req.headers['x-csrf-token'] !== found.who.csrf)
        throw new Refusal('csrf', 'The request did not come from the page you signed in on.', { remedy: 'Load the page again.' });
      if (found.token) rates.take(found.token, req.method === 'GET' || req.method === 'HEAD' ? 'reads' : 'writes');
      permit(req.principal, act, undefined, 'anywhere');
    });

    // Where it is done is known when the request has been read.
    app.addHook('preHandler', async (req) => {
      const { act, open } = req.routeOptions.config ?? {};
      if (open || !act || looks(act) || (unbounded(req.principal) && !reachesSite(act))) return;
      const place = placeOf(req.method, req.routeOptions.url ?? '');
      const where = await whereIs(ctx.db.manager, place?.of(req) ?? []);
      if (place?.each && (where.unknown || !where.sites.length)) return;
      permit(req.principal, act, undefined, where);
    });

    // After it was found that it may be done: what was refused is not kept under its key.
    app.addHook('preHandler', async (req, reply) => {
      if (req.who && (await once.begin(req, reply))) return reply;
    });
    app.addHook('onSend', async (req, reply, payload) => {
      await once.end(req, reply.statusCode, payload);
      return payload;
    });

    const secure = ctx.config.secureCookies;
    /** Signs somebody in in this browser; who was signed in in it is no longer. `by`: the provider that said who it is */
    const openSession = async (req: FastifyRequest, reply: FastifyReply, account: Found, by?: string) => {
      const token = newToken();
      const csrf = newToken();
      const old = req.cookies[cookieName];
      await ctx.db.transaction(async (m) => {
        await m.query('delete from session where expires_at < now() or token_hash = $1', [old ? hashed(old) : '']);
        // As it stands in this moment: it may have been changed while somebody typed.
        const made = (await m.query(
          `insert into session (token_hash, login, csrf, expires_at, address, agent, by_provider) select $1, login, $3, $4, $5, $6, $7 from account
             where login = $2 and not disabled and sign_in <> case when $7 then 'password' else 'provider' end returning id`,
          [
            hashed(token),
            account.login,
            csrf,
            new Date(Date.now() + sessionHours * 3_600_000),
            req.ip,
            (req.headers['user-agent'] ?? '').slice(0, 200),
            by !== undefined,
          ],
        )) as unknown[];
        if (!made.length)
          throw new Refusal('sign-in-wrong', `The account ${account.login} was changed in this moment.`, {
            remedy: 'Sign in again.',
          });
        await record(m, account.login, 'signed in', account.login, by === undefined ? {} : { by });
      });
      reply.setCookie(cookieName, token, {
        path: '/',
        httpOnly: true,
        sameSite: 'strict',
        secure,
        maxAge: sessionHours * 3600,
      });
      const { name, role, sites, teams } = account;
      return { login: account.login, name, role, sites, teams, csrf };
    };
    providerRoutes(app, ctx, openSession);
    app.post(
      '/api/sign-in',
      {
        config: { open: true },
        schema: {
          response: { '2xx': answers.Me },
          body: z.strictObject({ login: z.string().max(64), password: z.string().max(256) }),
        },
      },
      async (req, reply) => {
        const { login, password } = req.body;
        const account = await signIns.check(login, password, req.ip);
        return openSession(req, reply, account);
      },
    );

    app.post(
      '/api/sign-out',
      { config: { act: 'account.own' }, schema: { response: { '2xx': answers.Nothing } } },
      async (req, reply) => {
        await ctx.db.manager.query('delete from session where token_hash = $1', [hashed(req.cookies[cookieName] ?? '')]);
        reply.clearCookie(cookieName, { path: '/' });
        return {};
      },
    );

    app.get(
      '/api/me',
      { config: { act: 'account.own' }, schema: { response: { '2xx': answers.Me } } },
      async (req: FastifyRequest) => req.who,
    );
  },
  { name: 'auth' },
);
