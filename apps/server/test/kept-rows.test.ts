import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { loadEstate } from '../src/estate/load.ts';
import { type Client, Installation } from './installation.ts';

/** The estate is read again in full each time that it is asked for, but for rows that nobody wrote since. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

const load = async () => (await loadEstate(i.running.ctx.db)).estate;
const host = async (name: string) => (await load()).hosts.find((h) => h.name === name);
const unit = (value: number) =>
  c.good('POST', '/api/edits', { why: 'moved', edits: [{ op: 'set', kind: 'Host', key: 'bw-03', path: ['unit'], value }] });

describe('rows that are kept', () => {
  it('are the same objects until somebody writes them, and the others stay', async () => {
    const before = await load();
    expect(await load()).not.toBe(before);
    await unit(31);
    const after = await load();
    const of = (e: typeof before, name: string) => e.hosts.find((h) => h.name === name);
    expect(of(after, 'bw-03')).toMatchObject({ unit: 31 });
    expect(of(after, 'bw-01')).toBe(of(before, 'bw-01'));
    expect(of(after, 'bw-03')).not.toBe(of(before, 'bw-03'));
  });
  it('of another writer, behind our back, are read again; a deleted one is gone', async () => {
    await i.query(`update host set doc = jsonb_set(doc, '{unit}', '32') where key = 'bw-03'`);
    expect(await host('bw-03')).toMatchObject({ unit: 32 });
    await i.query("insert into observation values ('bill', 'gone', now(), '{}')");
    expect((await load()).observed.bills.gone).toEqual({});
    await i.query("delete from observation where subject = 'gone'");
    expect((await load()).observed.bills.gone).toBeUndefined();
  });
  it('are not taken from a transaction that was given up, nor given to one that wrote itself', async () => {
    await i.running.ctx.db
      .transaction(async (m) => {
        for (const u of [33, 34]) {
          await m.query(`update host set doc = jsonb_set(doc, '{unit}', '${u}') where key = 'bw-03'`);
          expect((await loadEstate(m)).estate.hosts.find((h) => h.name === 'bw-03')).toMatchObject({ unit: u });
        }
        expect(await host('bw-03')).toMatchObject({ unit: 32 });
        throw new Error('given up');
      })
      .catch(() => undefined);
    expect(await host('bw-03')).toMatchObject({ unit: 32 });
  });
  it('cannot be changed by whoever reads them', async () => {
    const h = (await host('bw-03')) as { unit?: number };
    expect(() => {
      h.unit = 1;
    }).toThrow(TypeError);
  });
});
