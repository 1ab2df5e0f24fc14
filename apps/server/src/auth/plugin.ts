import cookie from '@fastify/cookie';
import rateLimit from '@fastify/rate-limit';
import { hash, verify } from '@node-rs/argon2';
import type { FastifyInstance, FastifyRequest } from 'fastify';
import fp from 'fastify-plugin';
import { z } from 'zod';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Accounts, Sessions } from '../db/tables.ts';
import { Refusal } from '../refusal.ts';
import { may, type Role, reads } from './roles.ts';
import { hashed, newToken } from './seal.ts';
import { Sessions as SessionReader, type Who } from './sessions.ts';

declare module 'fastify' {
  interface FastifyContextConfig {
    role?: Role;
    open?: boolean;
  }
  interface FastifyInstance {
    /** Whether the session of a request that goes on for long still stands. */
    stillSignedIn: (req: FastifyRequest) => Promise<boolean>;
  }
  interface FastifyRequest {
    who: Who;
  }
}

const cookieName = 'praesidor';
const sessionHours = 12;

/** Who asks, and whether they may: the one place where it is decided. A route without a declared role does not start. */
export const auth = fp(
  async (app: FastifyInstance, { ctx }: { ctx: Context }) => {
    await app.register(cookie);
    await app.register(rateLimit, { global: false });
    app.decorateRequest('who', undefined as never);
    const sessions = new SessionReader(ctx.db);
    const sessionOf = async (req: FastifyRequest) => {
      const token = req.cookies[cookieName];
      return token ? sessions.find(hashed(token)) : undefined;
    };
    app.decorate('stillSignedIn', async (req: FastifyRequest) => (await sessionOf(req)) !== undefined);

    app.addHook('onRoute', (route) => {
      if (!route.url.startsWith('/api/') || route.config?.open || route.config?.role) return;
      throw new Error(`${String(route.method)} ${route.url} declares no role`);
    });

    app.addHook('onRequest', async (req) => {
      const { role, open } = req.routeOptions.config ?? {};
      if (open || !role) return;
      const session = await sessionOf(req);
      if (!session)
        throw new Refusal('not-signed-in', 'You are not signed in, or your session has ended.', {
          remedy: 'Sign in again; what you typed stays on the page.',
        });
      req.who = session;
      if (req.method !== 'GET' && req.method !== 'HEAD' && req.headers['x-csrf-token'] !== session.csrf)
        throw new Refusal('csrf', 'The request did not come from the page you signed in on.', { remedy: 'Load the page again.' });
      if (!may(session.role, role))
        throw new Refusal('not-allowed', `To ${reads[role]} takes the role ${role}; ${session.login} is ${session.role}.`, {
          remedy: 'Ask a warden.',
        });
    });

    const secure = ctx.config.secureCookies;
    app.post(
      '/api/sign-in',
      {
        config: { open: true, rateLimit: { max: 20, timeWindow: '1 minute' } },
        schema: { body: z.strictObject({ login: z.string().max(64), password: z.string().max(256) }) },
      },
      async (req, reply) => {
        const { login, password } = req.body as { login: string; password: string };
        const account = await ctx.db.manager.findOneBy(Accounts, { login });
        // The same work whether or not the account exists, so that the time tells nothing.
        const good = await verify(account?.passwordHash ?? (await decoy()), password).catch(() => false);
        if (!account || !good)
          throw new Refusal('sign-in-wrong', 'Login and password do not match.', {
            remedy: 'Passwords of the demonstration are printed where it was started.',
          });
        const token = newToken();
        const csrf = newToken();
        await ctx.db.transaction(async (m) => {
          await m.query('delete from session where expires_at < now()');
          await m.insert(Sessions, {
            tokenHash: hashed(token),
            login,
            csrf,
            expiresAt: new Date(Date.now() + sessionHours * 3_600_000),
          });
          await record(m, login, 'signed in', login);
        });
        reply.setCookie(cookieName, token, {
          path: '/',
          httpOnly: true,
          sameSite: 'strict',
          secure,
          maxAge: sessionHours * 3600,
        });
        return { login, name: account.name, role: account.role, csrf };
      },
    );

    app.post('/api/sign-out', { config: { role: 'reader' } }, async (req, reply) => {
      await ctx.db.manager.delete(Sessions, { tokenHash: hashed(req.cookies[cookieName] ?? '') });
      reply.clearCookie(cookieName, { path: '/' });
      return {};
    });

    app.get('/api/me', { config: { role: 'reader' } }, async (req: FastifyRequest) => req.who);
  },
  { name: 'auth' },
);

let decoyHash: Promise<string> | undefined;
const decoy = () => {
  decoyHash ??= hash(newToken());
  return decoyHash;
};
