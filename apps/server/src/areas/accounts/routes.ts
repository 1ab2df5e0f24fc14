import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { type ActName, actNames, mostTokenDays, roles, signInWays } from '@praesidor/core/access';
import { words } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { changeAccount, changeOwnPassword, endSession, listAccounts, makeAccount, resetPassword, sessionsOf } from './service.ts';
import { deleteFilter, filtersOf, keepFilter } from './filters.ts';
import { invite, invited, takeUp } from './invitations.ts';
import { leastPassword } from './passwords.ts';
import { endToken, makeToken, tokensOf } from './tokens.ts';

const Login = z
  .string()
  .max(40)
  .regex(/^[a-z0-9]([a-z0-9._-]*[a-z0-9])?$/, 'lower-case letters, digits, dots and hyphens, such as iris');
const Password = z.string().min(leastPassword, `a password has at least ${leastPassword} characters`).max(256);
const Named = z.strictObject({ login: Login });
const OneSession = z.strictObject({ login: Login, id: z.uuid() });
const NewToken = z.strictObject({
  name: words.Line(60, 1),
  /** What it is for, of the catalogue of acts. */
  acts: z
    .array(z.enum(actNames as [ActName, ...ActName[]]))
    .min(1)
    .max(actNames.length),
  days: z.number().int().min(1).max(mostTokenDays),
  /** What it changes, it changes at these sites alone, and of this team alone. */
  sites: z.array(words.Name).min(1).max(500).optional(),
  team: words.Name.optional(),
});
const SiteRoles = z.record(words.Name, z.enum(roles)).refine((r) => Object.keys(r).length <= 1000, 'up to 1,000 sites');
const Teams = z.array(words.Name).max(200);
const New = z.strictObject({
  login: Login,
  name: words.Line(80, 1),
  role: z.enum(roles),
  sites: SiteRoles.optional(),
  teams: Teams.optional(),
  password: Password.optional(),
  invite: z.literal(true).optional(),
});
const Changes = z.strictObject({
  name: words.Line(80, 1).optional(),
  role: z.enum(roles).optional(),
  /** In place of those that it has: roles at single sites, and teams. */
  sites: SiteRoles.optional(),
  teams: Teams.optional(),
  disabled: z.boolean().optional(),
  signIn: z.enum(signInWays).optional(),
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
  /** A link with which somebody chooses a password: it is told once, and is good once. */
  app.post(
    '/api/accounts/:login/invitation',
    { config: manage, schema: { response: { '2xx': answers.Invitation }, params: Named } },
    async (req, reply) => reply.status(201).send(await ctx.db.transaction((m) => invite(m, req.params.login, req.who.login))),
  );
  const Link = z.strictObject({ token: z.string().min(1).max(100) });
  // Whoever has the link is asked nothing else: it stands in no address, and so in no log.
  app.post(
    '/api/invitations/look',
    { config: { open: true }, schema: { response: { '2xx': answers.Invited }, body: Link } },
    async (req) => invited(ctx.db.manager, req.body.token),
  );
  app.post(
    '/api/invitations/take',
    {
      config: { open: true },
      schema: { response: { '2xx': answers.TakenUp }, body: Link.extend({ password: Password }) },
    },
    async (req) => ctx.db.transaction((m) => takeUp(m, req.body.token, req.body.password)),
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

  const Page = z
    .string()
    .regex(/^\/[a-z-]+(\/[a-z-]+)*$/, 'the path of a page')
    .max(60);
  const Called = { page: Page, name: words.Line(40, 1) };
  /** Filters of tables that somebody keeps under a name, to come back to. */
  app.get('/api/me/filters', { config: own, schema: { response: { '2xx': answers.FiltersKept } } }, async (req) => ({
    filters: await filtersOf(ctx.db.manager, req.who.login),
  }));
  app.put(
    '/api/me/filters',
    {
      config: own,
      schema: {
        response: { '2xx': answers.Nothing },
        body: z.strictObject({ ...Called, query: z.string().min(1).max(2000) }),
      },
    },
    async (req) => {
      await ctx.db.transaction((m) => keepFilter(m, req.who.login, req.body));
      return {};
    },
  );
  app.delete(
    '/api/me/filters',
    { config: own, schema: { response: { '2xx': answers.Nothing }, querystring: z.strictObject(Called) } },
    async (req) => {
      await deleteFilter(ctx.db.manager, req.who.login, req.query.page, req.query.name);
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
