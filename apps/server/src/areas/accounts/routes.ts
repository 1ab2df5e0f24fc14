import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { type ActName, actNames, mostTokenDays, roles } from '@praesidor/core/access';
import { words } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import {
  changeAccount,
  changeOwnPassword,
  endSession,
  leastPassword,
  listAccounts,
  makeAccount,
  resetPassword,
  sessionsOf,
} from './service.ts';
import { endToken, makeToken, tokensOf } from './tokens.ts';

const Login = z
  .string()
  .max(40)
  .regex(/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/, 'lower-case letters, digits, dots and hyphens, such as iris');
const Password = z.string().min(leastPassword, `a password has at least ${leastPassword} characters`).max(256);
const Named = z.strictObject({ login: Login });
const OneSession = z.strictObject({ login: Login, id: z.uuid() });
const New = z.strictObject({ login: Login, name: words.Line(80, 1), role: z.enum(roles), password: Password.optional() });
const NewToken = z.strictObject({
  name: words.Line(60, 1),
  /** What it is for, of the catalogue of acts. */
  acts: z
    .array(z.enum(actNames as [ActName, ...ActName[]]))
    .min(1)
    .max(actNames.length),
  days: z.number().int().min(1).max(mostTokenDays),
});
const Changes = z.strictObject({
  name: words.Line(80, 1).optional(),
  role: z.enum(roles).optional(),
  disabled: z.boolean().optional(),
});

/** Accounts of people: made, disabled, their roles and passwords, and the browsers in which they are signed in. */
export async function accounts(app: App, { ctx }: { ctx: Context }) {
  const manage = { act: 'accounts.manage' } as const;
  const own = { act: 'account.own' } as const;

  app.get('/api/accounts', { config: manage, schema: { response: { '2xx': answers.Accounts } } }, async () => ({
    accounts: await listAccounts(ctx.db.manager),
  }));
  app.post(
    '/api/accounts',
    { config: manage, schema: { response: { '2xx': answers.NewPassword }, body: New } },
    async (req, reply) => reply.status(201).send(await ctx.db.transaction((m) => makeAccount(m, req.body, req.who.login))),
  );
  app.patch(
    '/api/accounts/:login',
    { config: manage, schema: { response: { '2xx': answers.Nothing }, params: Named, body: Changes } },
    async (req) => {
      await ctx.db.transaction((m) => changeAccount(m, req.params.login, req.body, req.who.login));
      return {};
    },
  );
  app.post(
    '/api/accounts/:login/password',
    {
      config: manage,
      schema: {
        response: { '2xx': answers.NewPassword },
        params: Named,
        body: z.strictObject({ password: Password.optional() }),
      },
    },
    async (req) => ctx.db.transaction((m) => resetPassword(m, req.params.login, req.body.password, req.who.login)),
  );
  app.get(
    '/api/accounts/:login/sessions',
    { config: manage, schema: { response: { '2xx': answers.Sessions }, params: Named } },
    async (req) => ({
      sessions: await sessionsOf(ctx.db.manager, req.params.login, req.who.session),
    }),
  );
  app.delete(
    '/api/accounts/:login/sessions/:id',
    { config: manage, schema: { response: { '2xx': answers.Nothing }, params: OneSession } },
    async (req) => {
      const { login, id } = req.params;
      await ctx.db.transaction((m) => endSession(m, login, id, req.who.login));
      return {};
    },
  );

  app.get('/api/me/sessions', { config: own, schema: { response: { '2xx': answers.Sessions } } }, async (req) => ({
    sessions: await sessionsOf(ctx.db.manager, req.who.login, req.who.session),
  }));
  app.delete(
    '/api/me/sessions/:id',
    { config: own, schema: { response: { '2xx': answers.Nothing }, params: z.strictObject({ id: z.uuid() }) } },
    async (req) => {
      await ctx.db.transaction((m) => endSession(m, req.who.login, req.params.id, req.who.login));
      return {};
    },
  );
  app.get('/api/me/tokens', { config: own, schema: { response: { '2xx': answers.Tokens } } }, async (req) => ({
    tokens: await tokensOf(ctx.db.manager, req.who.login),
  }));
  app.post(
    '/api/me/tokens',
    { config: own, schema: { response: { '2xx': answers.NewToken }, body: NewToken } },
    async (req, reply) => reply.status(201).send(await ctx.db.transaction((m) => makeToken(m, req.who, req.body))),
  );
  app.delete(
    '/api/me/tokens/:id',
    { config: own, schema: { response: { '2xx': answers.Nothing }, params: z.strictObject({ id: z.uuid() }) } },
    async (req) => {
      await ctx.db.transaction((m) => endToken(m, req.who.login, req.params.id, req.who.login));
      return {};
    },
  );
  app.get(
    '/api/accounts/:login/tokens',
    { config: manage, schema: { response: { '2xx': answers.Tokens }, params: Named } },
    async (req) => ({ tokens: await tokensOf(ctx.db.manager, req.params.login) }),
  );
  app.delete(
    '/api/accounts/:login/tokens/:id',
    { config: manage, schema: { response: { '2xx': answers.Nothing }, params: OneSession } },
    async (req) => {
      const { login, id } = req.params;
      await ctx.db.transaction((m) => endToken(m, login, id, req.who.login));
      return {};
    },
  );
  app.post(
    '/api/me/password',
    {
      config: own,
      schema: { response: { '2xx': answers.Nothing }, body: z.strictObject({ current: z.string().max(256), next: Password }) },
    },
    async (req) => {
      const { current, next } = req.body;
      await ctx.db.transaction((m) => changeOwnPassword(m, req.who.login, req.who.session, current, next));
      return {};
    },
  );
}
