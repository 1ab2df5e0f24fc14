import * as answers from '@praesidor/contract';
import type { App } from '../../app-type.ts';
import { z } from 'zod';
import { credentialOf, keyUses, placeFault } from '@praesidor/core/access';
import { docsOf, keyOf, type Use, words } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Keys } from '../../db/tables.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { keep } from './service.ts';

const Place = z.string().superRefine((text, c) => {
  const fault = placeFault(text);
  if (fault) c.addIssue({ code: 'custom', message: fault });
});
const Places = z.array(Place).max(100);
const Entry = z.strictObject({
  name: words.Name,
  use: z.enum(keyUses),
  user: words.Line(120),
  secret: z.string().min(1).max(4000),
  /** Not given: those that the entry has stay. */
  places: Places.optional(),
});
const Named = z.strictObject({ name: words.Name });

export async function keyring(app: App, { ctx }: { ctx: Context }) {
  app.get(
    '/api/keyring',
    { config: { act: 'keyring.read' }, schema: { response: { '2xx': answers.KeyringEntries } } },
    async () => ({
      entries: (await ctx.db.manager.find(Keys, { order: { name: 'ASC' } })).map(({ sealed: _, ...e }) => e),
    }),
  );
  app.post(
    '/api/keyring',
    { config: { act: 'keyring.change' }, schema: { response: { '2xx': answers.Nothing }, body: Entry } },
    async (req) => {
      const e = req.body;
      await ctx.db.transaction(async (m) => {
        await keep(ctx.config, m, e, req.who.login);
        await record(m, req.who.login, 'added to the keyring', e.name, { use: e.use, places: e.places });
      });
      return {};
    },
  );
  /** Where an entry may be sent, without typing its secret again. */
  app.put(
    '/api/keyring/:name/places',
    {
      config: { act: 'keyring.change' },
      schema: { response: { '2xx': answers.Nothing }, params: Named, body: z.strictObject({ places: Places }) },
    },
    async (req) => {
      const { name } = req.params;
      const { places } = req.body;
      await ctx.db.transaction(async (m) => {
        const before = await m.findOneBy(Keys, { name });
        if (!before) throw new Refusal('not-found', `The keyring has no entry named ${name}.`);
        await m.query('update keyring set places = $2 where name = $1', [name, JSON.stringify(places)]);
        await tell(m, 'Keyring', name, req.who.login);
        await record(m, req.who.login, 'changed where a credential may be sent', name, { before: before.places, after: places });
      });
      return {};
    },
  );
  app.delete(
    '/api/keyring/:name',
    { config: { act: 'keyring.change' }, schema: { response: { '2xx': answers.Nothing }, params: Named } },
    async (req) => {
      const { name } = req.params;
      await ctx.db.transaction(async (m) => {
        const { estate } = await loadEstate(m);
        const uses: Use[] = docsOf(estate)
          .filter((d) => credentialOf(d)?.entry === name)
          .map((d) => ({
            by: `${d.kind} ${keyOf(d)}`,
            how: 'names it',
            act: {
              label: `Choose another credential for ${d.kind} ${keyOf(d)}`,
              path: `/declare?edit=${encodeURIComponent(`${d.kind} ${keyOf(d)}`)}`,
            },
          }));
        uses.push(...(await usesBeside(m, name)));
        if (uses.length)
          throw new Refusal(
            'in-use',
            `${name} is in use: ${uses
              .slice(0, 3)
              .map((u) => u.by)
              .join(', ')}${uses.length > 3 ? ` and ${uses.length - 3} more` : ''} ${uses.length === 1 ? 'names' : 'name'} it.`,
            { remedy: `${uses[0]?.act.label} first.`, uses: uses.slice(0, 20) },
          );
        const { affected } = await m.delete(Keys, { name });
        if (!affected) throw new Refusal('not-found', `The keyring has no entry named ${name}.`);
        await tell(m, 'Keyring', name, req.who.login);
        await record(m, req.who.login, 'removed from the keyring', name);
      });
      return {};
    },
  );
}

/** What names an entry and is no part of the plan: who is told of what, and the sign-in provider. */
async function usesBeside(m: EntityManager, name: string): Promise<Use[]> {
  const notices = (await m.query(
    "select name from notice where $1 in (doc->'webhook'->>'credential', doc->'mail'->>'credential') order by name",
    [name],
  )) as { name: string }[];
  const provider = (await m.query("select doc->>'title' as title from sign_in_provider where doc->>'credential' = $1", [
    name,
  ])) as {
    title: string;
  }[];
  const use = (by: string, path: string): Use => ({
    by,
    how: 'names it',
    act: { label: `Choose another credential for ${by}`, path },
  });
  return [
    ...notices.map((n) => use(`Notice ${n.name}`, '/notices')),
    ...provider.map((p) => use(`the sign-in provider ${p.title}`, '/people/sign-in')),
  ];
}
