import * as answers from '@praesidor/contract';
import type { App } from '../app-type.ts';
import cookie from '@fastify/cookie';
import type { FastifyInstance, FastifyRequest } from 'fastify';
import fp from 'fastify-plugin';
import { z } from 'zod';
import { type ActName, acts, type Principal } from '@praesidor/core/access';
import { permit } from '../access/permit.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { hashed, newToken } from './seal.ts';
import { asking, within } from './asking.ts';
import { tokenOf } from './tokens.ts';
import { Sessions as SessionReader, type Who } from './sessions.ts';
import { SignIns } from './sign-ins.ts';

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
    const sessions = new SessionReader(ctx.db);
    const signIns = new SignIns(ctx.db);
    const sessionOf = async (req: FastifyRequest) => {
      const token = req.cookies[cookieName];
      return token ? sessions.find(hashed(token)) : undefined;
    };
    /** Who asks: by the token that a program sends, or by the session of a browser. */
    const whoAsks = async (req: FastifyRequest): Promise<{ who: Who; principal: Principal } | undefined> => {
      const sent = bearer(req);
      if (sent === undefined) {
        const session = await sessionOf(req);
        return session && { who: session, principal: { kind: 'person', login: session.login, role: session.role } };
      }
      const found = await tokenOf(ctx.db, sent, req.ip);
      if (!found) return undefined;
      const { login, person, role, name, acts } = found;
      return { who: { login, name: person, role, csrf: '', session: '' }, principal: { kind: 'token', login, role, name, acts } };
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
      permit(req.principal, act);
    });

    const secure = ctx.config.secureCookies;
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
        const token = newToken();
        const csrf = newToken();
        const old = req.cookies[cookieName];
        await ctx.db.transaction(async (m) => {
          await m.query('delete from session where expires_at < now() or token_hash = $1', [old ? hashed(old) : '']);
          await m.query(
            'insert into session (token_hash, login, csrf, expires_at, address, agent) values ($1, $2, $3, $4, $5, $6)',
            [
              hashed(token),
              account.login,
              csrf,
              new Date(Date.now() + sessionHours * 3_600_000),
              req.ip,
              (req.headers['user-agent'] ?? '').slice(0, 200),
            ],
          );
          await record(m, account.login, 'signed in', account.login);
        });
        reply.setCookie(cookieName, token, {
          path: '/',
          httpOnly: true,
          sameSite: 'strict',
          secure,
          maxAge: sessionHours * 3600,
        });
        return { login: account.login, name: account.name, role: account.role, csrf };
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
