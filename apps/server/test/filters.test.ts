import type { FilterKept } from '@praesidor/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Client, Installation } from './installation.ts';

/** Filters that somebody keeps under a name. */
const i = new Installation();
let c: Client;
let other: Client;
beforeAll(async () => {
  await i.start({ bare: true });
  c = await i.as('reader');
  other = await i.as('planner');
});
afterAll(() => i.stop());

const kept = async (of: Client) =>
  (await of.good<{ filters: FilterKept[] }>('GET', '/api/me/filters')).filters.map((f) => `${f.page} ${f.name}: ${f.query}`);
const keep = (of: Client, name: string, query = 'q=state%3Afit', page = '/hosts') =>
  of.call('PUT', '/api/me/filters', { page, name, query });

describe('saved filters', () => {
  it('are of whoever saved them, one of a name at each page; the later one stands', async () => {
    await keep(c, 'free');
    await keep(c, 'free', 'q=state%3Afit&sort=-cores');
    await keep(c, 'free', 'q=proof%3Afails', '/clusters');
    expect(await kept(c)).toEqual(['/clusters free: q=proof%3Afails', '/hosts free: q=state%3Afit&sort=-cores']);
    expect(await kept(other)).toEqual([]);
    const gone = (of: Client) => of.call('DELETE', '/api/me/filters?page=/hosts&name=free');
    expect((await gone(other)).status).toBe(404);
    expect((await gone(c)).status).toBe(200);
    expect(await kept(c)).toEqual(['/clusters free: q=proof%3Afails']);
  });
  it('lead to pages of this installation, and nowhere else', async () => {
    for (const page of ['https://elsewhere.example', '//elsewhere.example', '/hosts?x', 'hosts', '/Hosts', '/'])
      expect([page, (await keep(c, 'x', 'q=1', page)).status]).toEqual([page, 422]);
    expect((await keep(c, '', 'q=1')).status).toBe(422);
    expect((await keep(c, 'x', '')).status).toBe(422);
  });
  it('are at most fifty of a page, also when many are saved at once; one that is there can still be changed', async () => {
    for (let n = 0; n < 45; n++) expect((await keep(other, `number ${n}`)).status).toBe(200);
    const answers = await Promise.all(Array.from({ length: 10 }, (_, n) => keep(other, `at once ${n}`)));
    expect(answers.filter((a) => a.status === 200)).toHaveLength(5);
    expect(answers.find((a) => a.status !== 200)?.body.message).toBe('50 filters are kept of this page, which is the most.');
    expect((await keep(other, 'number 7', 'q=other')).status).toBe(200);
    expect(await kept(other)).toHaveLength(50);
  });
  it('go with the account', async () => {
    await i.query("insert into account (login, name, role, password_hash) values ('gone', 'Gone', 'reader', 'x')");
    await i.query("insert into account_filter (login, page, name, query) values ('gone', '/hosts', 'x', 'q=1')");
    await i.query("delete from account where login = 'gone'");
    expect(await i.query("select 1 from account_filter where login = 'gone'")).toEqual([]);
  });
});
