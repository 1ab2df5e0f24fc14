import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RecordedAct, RecordSeal, WholeAct } from '@praesidor/contract';
import { checkRecord, mostSealed, seal } from '../src/record/seal.ts';
import { type Client, Installation } from './installation.ts';

/** The record: nothing takes from it, what was changed all the same is noticed, and what is looked for is found. */
const i = new Installation();
let warden: Client;
const db = () => i.running.ctx.db;
const edit = (key: string, value: string) =>
  warden.good<{ act: number }>('POST', '/api/edits', {
    why: `purpose of ${key}`,
    edits: [{ op: 'set', kind: 'Charter', key, path: ['purpose'], value }],
  });
const acts = async (query: string) => (await warden.good<{ acts: RecordedAct[] }>('GET', `/api/acts?${query}`)).acts;
const sealOf = () => warden.good<RecordSeal>('GET', '/api/acts/seal');
/** As somebody with the keys of the database could: past the trigger. */
const tamper = async (sql: string) => {
  await i.query('alter table audit disable trigger audit_stays');
  try {
    await i.query(sql);
  } finally {
    await i.query('alter table audit enable trigger audit_stays');
  }
};

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
});
afterAll(() => i.stop());

describe('the record', () => {
  it.each([
    "update audit set who = 'somebody'",
    "update audit set act = 'nothing' where id = 1",
    'delete from audit where id = 1',
    'truncate audit',
    'update audit_seal set acts = 0',
    'delete from audit_seal',
  ])('is not touched by the account of the application itself: %s', async (sql) => {
    await expect(db().query(sql)).rejects.toThrow('what is on record is neither changed nor removed');
  });
  it('tells of one act what was before and what is after, by whom, and from where', async () => {
    const { act } = await edit('plover', 'the first');
    const { act: next } = await edit('plover', 'the second');
    const one = await warden.good<WholeAct>('GET', `/api/acts/${next}`);
    expect(one).toMatchObject({
      who: 'warden',
      act: 'purpose of plover',
      address: '127.0.0.1',
      undoneBy: null,
      more: 0,
      fields: [{ kind: 'Charter', key: 'plover', path: 'purpose', before: 'the first', after: 'the second' }],
    });
    const undo = await warden.good<{ act: number }>('POST', `/api/acts/${next}/undo`);
    expect(await warden.good<WholeAct>('GET', `/api/acts/${next}`)).toMatchObject({ undoneBy: undo.act });
    expect(await warden.good<WholeAct>('GET', `/api/acts/${undo.act}`)).toMatchObject({ undoes: next });
    expect((await warden.call('POST', `/api/acts/${next}/undo`)).status).toBe(409);
    expect((await acts('limit=3')).map((a) => [a.id, a.canUndo])).toEqual([
      [undo.act, true],
      [next, false],
      [act, true],
    ]);
    expect((await warden.call('GET', '/api/acts/999999')).status).toBe(404);
  });
  it('of several who undo one act at once lets one', async () => {
    const { act } = await edit('tern', 'once more');
    const all = await Promise.all([1, 2, 3, 4].map(() => warden.call('POST', `/api/acts/${act}/undo`)));
    expect(all.map((a) => a.status).sort()).toEqual([200, 409, 409, 409]);
  });
});

describe('a seal', () => {
  it('holds all that was put down before it, in one chain, and is told with its digest', async () => {
    await seal(db());
    const { sealed, broken } = await sealOf();
    const [{ last } = { last: 0 }] = await i.query<{ last: number }>('select max(id)::int as last from audit');
    expect([sealed?.last, broken]).toEqual([last, []]);
    expect(sealed?.digest).toMatch(/^[0-9a-f]{64}$/);
    await edit('plover', 'later');
    await seal(db());
    const after = (await sealOf()).sealed;
    expect(after?.last).toBeGreaterThan(last);
    expect(after?.digest).not.toBe(sealed?.digest);
    expect(await checkRecord(db())).toEqual([]);
  });
  it('is made by one of several servers, and of parts', async () => {
    await i.query(
      `insert into audit (who, act, subject, detail) select 'night', 'looked', 'window ' || n, '{}' from generate_series(1, ${2 * mostSealed + 10}) n`,
    );
    await Promise.all([seal(db()), seal(db()), seal(db())]);
    await seal(db());
    const rows = await i.query<{ n: number; after: number; last: number; acts: number }>(
      'select n::int, after::int, last::int, acts from audit_seal order by n',
    );
    for (const [k, r] of rows.entries()) expect([r.n, r.after]).toEqual([k + 1, rows[k - 1]?.last ?? 0]);
    expect(Math.max(...rows.map((r) => r.acts))).toBe(mostSealed);
    expect(await checkRecord(db())).toEqual([]);
  });
  it('waits for who has put an act down and not ended: nothing comes before what is sealed', async () => {
    const { sealed } = await sealOf();
    const runner = db().createQueryRunner();
    await runner.startTransaction();
    await runner.query("insert into audit (who, act, subject, detail) values ('bo', 'took long', 'x', '{}')");
    await i.query("insert into audit (who, act, subject, detail) values ('pia', 'was quick', 'y', '{}')");
    expect(await seal(db())).toBe(0);
    expect((await sealOf()).sealed?.last).toBe(sealed?.last);
    await runner.commitTransaction();
    await runner.release();
    expect(await seal(db())).toBe(2);
  });
  it.each([
    ['changed', "update audit set who = 'pia' where subject = 'window 5'"],
    ['changed back in time', "update audit set at = at - interval '1 day' where subject = 'window 1500'"],
    ['removed', "delete from audit where subject = 'window 7'"],
    [
      'added between',
      "insert into audit (id, who, act, subject, detail) values ((select max(id) from audit where subject = 'window 7') , 'x', 'y', 'z', '{}')",
    ],
  ])('does not fit what was %s after it was put down: it is noticed, and put on record once', async (_, sql) => {
    if (sql.startsWith('insert')) await tamper("delete from audit where subject = 'window 8'");
    const before = (await checkRecord(db())).length;
    await tamper(
      sql.startsWith('insert')
        ? "insert into audit (id, who, act, subject, detail) select id, 'x', 'y', 'z', '{}' from (select max(id) - 1 as id from audit where subject = 'window 9') q"
        : sql,
    );
    const broken = await checkRecord(db());
    expect(broken.length).toBeGreaterThanOrEqual(Math.max(1, before));
    await checkRecord(db());
    const said = await acts('text=found the record changed');
    expect(said.length).toBe(broken.length);
    expect((await sealOf()).broken).toEqual(broken);
  });
  it('that is made anew over what was changed does not fit the next one', async () => {
    const [one] = await i.query<{ n: number }>('select n::int from audit_seal order by n limit 1');
    await i.query('alter table audit_seal disable trigger audit_seal_stays');
    await i.query("update audit_seal set digest = sha256('x') where n = $1", [one?.n]);
    await i.query('alter table audit_seal enable trigger audit_seal_stays');
    const broken = await checkRecord(db());
    expect(broken.map((b) => b.after)).toContain(0);
    expect(broken.length).toBeGreaterThan(1);
  });
});

describe('what is looked for', () => {
  const ids = (list: RecordedAct[]) => list.map((a) => a.id);
  it.each<[string, string, string]>([
    ['who', 'who=night', "who = 'night'"],
    ['part of what was done', 'text=LOOK', "act || ' ' || subject ilike '%look%'"],
    ['part of what to', 'text=window 150', "subject like '%window 150%'"],
    ['signs that stand for others', 'text=w_ndow', 'false'],
    ['two at once', 'who=warden&text=plover', "who = 'warden' and act || ' ' || subject ilike '%plover%'"],
    ['nobody', 'who=nobody', 'false'],
  ])('is found by %s, newest first, page by page', async (_, query, sql) => {
    const expected = (await i.query<{ id: number }>(`select id::int from audit where ${sql} order by id desc`)).map((r) => r.id);
    const got: number[] = [];
    for (let before = ''; ; ) {
      const list = await acts(`limit=500&${query}${before}`);
      got.push(...ids(list));
      if (list.length < 500) break;
      before = `&before=${list.at(-1)?.id}`;
    }
    expect(got).toEqual(expected);
  });
  it('is found by time, and by token', async () => {
    const at = (await acts('text=looked&limit=1'))[0]?.at as unknown as string;
    expect((await acts(`from=${encodeURIComponent(at)}&text=window&limit=1000`)).length).toBeGreaterThan(0);
    expect(await acts(`to=${encodeURIComponent('2020-01-01T00:00:00Z')}`)).toEqual([]);
    const { token } = await warden.good<{ token: string }>('POST', '/api/me/tokens', {
      name: 'nightly',
      acts: ['plan.edit'],
      days: 1,
    });
    await fetch(`${i.config.publicUrl}/api/edits`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      body: JSON.stringify({
        why: 'by night',
        edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['purpose'], value: 'x' }],
      }),
    });
    expect((await acts('token=nightly')).map((a) => a.act)).toEqual(['by night']);
    expect((await warden.call('GET', '/api/acts?from=yesterday')).status).toBe(422);
  });
});
