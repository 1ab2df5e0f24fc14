import * as answers from '@praesidor/contract';
import { SignInProvider } from '@praesidor/core/access';
import type { FastifyReply, FastifyRequest } from 'fastify';
import { z } from 'zod';
import type { App } from '../app-type.ts';
import { record } from '../audit.ts';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { backAt, beginAtProvider, discover, endAtProvider, faultOf, NotSignedIn, ownPage, providerOf } from './provider.ts';
import type { Found } from './sign-ins.ts';

/** Kept by the browser while its person is at the provider. It comes back from another site, so that it is no strict one; it opens nothing. */
const awayCookie = 'praesidor-sign-in';
const awayPath = '/api/sign-in';

/** Signing in by the provider, and which provider that is. */
export function providerRoutes(
  app: App,
  ctx: Context,
  openSession: (req: FastifyRequest, reply: FastifyReply, account: Found, by: string) => Promise<unknown>,
): void {
  const open = { open: true } as const;
  const secure = ctx.config.secureCookies;

  /** How people can sign in, for the page that asks them. */
  app.get('/api/sign-in', { config: open, schema: { response: { '2xx': answers.SignInWays } } }, async () => ({
    provider: (await providerOf(ctx.db.manager))?.title ?? null,
  }));

  /** Nobody reads an error that a browser is led to: it is led to the page that says it in words. */
  const led = async (reply: FastifyReply, to: () => Promise<string>) => {
    try {
      return reply.redirect(await to(), 303);
    } catch (cause) {
      const e = cause instanceof Refusal ? new NotSignedIn('unknown', cause.message) : cause;
      if (!(e instanceof NotSignedIn)) throw e;
      ctx.log('nobody was signed in by the provider', { fault: e.fault, cause: e.message });
      return reply.redirect(`/sign-in?refused=${e.fault}`, 303);
    }
  };
  app.get(
    '/api/sign-in/begin',
    {
      config: open,
      schema: { response: { '3xx': answers.Led }, querystring: z.strictObject({ back: z.string().max(500).optional() }) },
    },
    async (req, reply) =>
      led(reply, async () => {
        const { url, browser, minutes } = await beginAtProvider(ctx, { back: ownPage(req.query.back), address: req.ip });
        reply.setCookie(awayCookie, browser, { path: awayPath, httpOnly: true, sameSite: 'lax', secure, maxAge: minutes * 60 });
        return url;
      }),
  );
  app.get(
    '/api/sign-in/back',
    {
      config: open,
      // What it is given beside this is for the library to check.
      schema: { response: { '3xx': answers.Led }, querystring: z.looseObject({ state: z.string().max(200).optional() }) },
    },
    async (req, reply) =>
      led(reply, async () => {
        const browser = req.cookies[awayCookie] ?? '';
        reply.clearCookie(awayCookie, { path: awayPath });
        const { account, back, title } = await endAtProvider(ctx, {
          query: req.raw.url?.split('?')[1] ?? '',
          state: req.query.state ?? '',
          browser,
        });
        await openSession(req, reply, account, title);
        return back;
      }),
  );

  const manage = { act: 'accounts.manage' } as const;
  app.get('/api/sign-in/provider', { config: manage, schema: { response: { '2xx': answers.SignInProviderSet } } }, async () => ({
    doc: (await providerOf(ctx.db.manager)) ?? null,
    back: backAt(ctx),
  }));
  app.put(
    '/api/sign-in/provider',
    { config: manage, schema: { response: { '2xx': answers.Nothing }, body: SignInProvider } },
    async (req) => {
      await ctx.db.transaction(async (m) => {
        const [before] = (await m.query('select doc from sign_in_provider for update')) as { doc: SignInProvider }[];
        await m.query('insert into sign_in_provider (doc) values ($1) on conflict (one) do update set doc = excluded.doc', [
          JSON.stringify(req.body),
        ]);
        await m.query('delete from sign_in_begun');
        // Who somebody was at another provider says nothing of who they are at this one.
        if (before && before.doc.issuer !== req.body.issuer) await forgetPeople(m);
        const { ca: _, ...said } = req.body;
        await record(m, req.who.login, 'set the sign-in provider', req.body.title, said);
      });
      return {};
    },
  );
  app.delete('/api/sign-in/provider', { config: manage, schema: { response: { '2xx': answers.Nothing } } }, async (req) => {
    await ctx.db.transaction(async (m) => {
      const [gone] = (await m.query('with d as (delete from sign_in_provider returning doc) select doc from d')) as {
        doc: SignInProvider;
      }[];
      if (!gone) throw new Refusal('not-found', 'No sign-in provider is set.');
      await m.query('delete from sign_in_begun');
      await forgetPeople(m);
      await record(m, req.who.login, 'removed the sign-in provider', gone.doc.title);
    });
    return {};
  });
  /** Asks the provider that is set for what it says of itself. */
  app.post(
    '/api/sign-in/provider/test',
    { config: manage, schema: { response: { '2xx': answers.SignInProviderSeen } } },
    async () => {
      const p = await providerOf(ctx.db.manager);
      if (!p) throw new Refusal('not-found', 'No sign-in provider is set.');
      try {
        const seen = (await discover(ctx, p)).serverMetadata();
        return { issuer: seen.issuer, signsAt: seen.authorization_endpoint ?? '' };
      } catch (e) {
        throw new Refusal('unreachable', `The sign-in provider cannot be used: ${faultOf(e).message}.`, {
          remedy: 'Correct its address, its authority or its keyring entry, or look at the provider.',
        });
      }
    },
  );
}

type Manager = Parameters<typeof record>[0];
/** Nobody is known by the provider any more, and whoever it signed in is signed out. */
async function forgetPeople(m: Manager): Promise<void> {
  await m.query('update account set issuer = null, subject = null where issuer is not null');
  await m.query('delete from session where by_provider');
}
