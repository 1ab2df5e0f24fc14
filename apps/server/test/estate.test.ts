import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { SnapshotDifference } from '@praesidor/contract';
import { applyDifference, type Doc, docsOf, type Estate, keyOf, readDocuments } from '@praesidor/core/model';
import { Client, eventually, Installation } from './installation.ts';

const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
});
afterAll(() => i.stop());

const declared = ({ now: _, observed: __, ...rest }: Estate) => rest;

describe('in and out as YAML', () => {
  it('what goes out comes in again and changes nothing', async () => {
    await c.good('POST', '/api/import', {
      text: 'apiVersion: praesidor/v1\nkind: Profile\nname: edge\ntitle: Edge box\nneeds: [{fact: cores, atLeast: 4}]\n',
    });
    const whole = await c.estate();
    const before = declared(whole);
    const { text } = await c.good<{ text: string }>('GET', '/api/export');
    expect(readDocuments(text).faults).toEqual([]);
    // Every document of every kind is in it, and none twice.
    const names = (docs: readonly Doc[]) => docs.map((d) => `${d.kind} ${keyOf(d)}`).sort();
    expect(names(readDocuments(text).docs.map((d) => d.doc))).toEqual(names(docsOf(whole)));
    expect(names(docsOf(whole))).toEqual(expect.arrayContaining(['Profile edge', expect.stringMatching(/^Baseline /)]));
    expect(await c.good('POST', '/api/import', { text })).toMatchObject({ documents: readDocuments(text).docs.length });
    expect(declared(await c.estate())).toEqual(before);
  });
  it('no secret goes out', async () => {
    const { text } = await c.good<{ text: string }>('GET', '/api/export');
    for (const secret of ['lantern-demo', 'breakwater-demo', 'PRIVATE KEY']) expect(text).not.toContain(secret);
    expect(JSON.stringify(await c.good('GET', '/api/keyring'))).not.toContain('lantern-demo');
  });
  it('one fault keeps all of it out, with every fault at its line', async () => {
    const before = declared(await c.estate());
    const site = (name: string, more = '') =>
      `apiVersion: praesidor/v1\nkind: Site\nname: ${name}\ntitle: T\nform: hall\nreach: open\ndomain: ${name}.example\n${more}`;
    const a = await c.call<{ places: { line: number; path: string }[] }>('POST', '/api/import', {
      text: [site('one'), site('two', 'rech: open\n'), site('BAD')].join('---\n'),
      file: 'x.yaml',
    });
    expect(a.status).toBe(422);
    expect(a.body.places?.map((p) => [(p as { line: number }).line, p.path])).toEqual([
      [16, 'rech'],
      [20, 'name'],
    ]);
    expect(declared(await c.estate())).toEqual(before);
  });
  it('a reference to what is not there keeps all of it out', async () => {
    const before = declared(await c.estate());
    const a = await c.call('POST', '/api/import', {
      text: 'apiVersion: praesidor/v1\nkind: Network\nname: lost\nsite: nowhere\npurpose: machine\nprefix: 10.200.0.0/24\n',
    });
    expect([a.status, a.body.message]).toEqual([422, 'There is no site nowhere.']);
    expect(declared(await c.estate())).toEqual(before);
  });
});

describe('documents declared in the interface', () => {
  const site = (title: string) =>
    `apiVersion: praesidor/v1\nkind: Site\nname: skerry\ntitle: ${title}\nform: edge\nreach: thin\ndomain: skerry.example\n`;
  it('say what they did, leave alone what stands as written, and are undone as one', async () => {
    const { text } = await c.good<{ text: string }>('GET', '/api/export');
    const before = await c.good<{ versions: Record<string, number> }>('GET', '/api/estate');
    const a = await c.good<{ added: number; changed: number; same: number; act: number }>('POST', '/api/import', {
      text: `${site('Skerry')}---\n${text}`,
    });
    expect([a.added, a.changed, a.same]).toEqual([1, 0, readDocuments(text).docs.length]);
    const after = await c.good<{ versions: Record<string, number> }>('GET', '/api/estate');
    expect(after.versions).toEqual({ ...before.versions, 'Site skerry': 1 });
    await c.good('POST', `/api/acts/${a.act}/undo`);
    expect((await c.estate()).sites.map((s) => s.name)).not.toContain('skerry');
  });
  it('do not overwrite what somebody changed after they were looked at', async () => {
    await c.good('POST', '/api/import', { text: site('Skerry') });
    const { revision } = await c.good<{ revision: number }>('GET', '/api/estate');
    await c.good('POST', '/api/import', { text: site('Skerry Light') });
    const a = await c.call('POST', '/api/import', { text: site('Old Skerry'), revision });
    expect([a.status, a.body.code, a.body.message]).toEqual([
      409,
      'conflict',
      expect.stringContaining('Site skerry was changed'),
    ]);
    expect((await c.estate()).sites.find((s) => s.name === 'skerry')?.title).toBe('Skerry Light');
  });
  it('give a changed charter a revision of its own, also when it is undone', async () => {
    const doc = (await c.estate()).charters.find((x) => x.name === 'dunlin');
    const revisions = async () =>
      (await c.good<{ revisions: { note: string }[] }>('GET', '/api/charters/dunlin')).revisions.map((r) => r.note);
    const before = await revisions();
    const a = await c.good<{ act: number }>('POST', '/api/import', {
      text: JSON.stringify({ ...doc, purpose: 'ferry, second boat' }),
    });
    await c.good('POST', `/api/acts/${a.act}/undo`);
    expect(await revisions()).toEqual(['undid: imported', 'imported', ...before]);
  });
});

describe('events', () => {
  it('reach every signed-in browser, and those missed are sent on return', async () => {
    const listen = async (last?: number) => {
      const stop = new AbortController();
      const got: { id: number; kind: string; subject: string }[] = [];
      const r = await fetch(`${i.config.publicUrl}/api/events`, {
        headers: { cookie: c.cookie, ...(last ? { 'last-event-id': String(last) } : {}) },
        signal: stop.signal,
      });
      void (async () => {
        const d = new TextDecoder();
        let text = '';
        try {
          for await (const chunk of r.body as unknown as AsyncIterable<Uint8Array>) {
            text += d.decode(chunk);
            for (const m of text.matchAll(/^data: (.+)$/gm)) {
              const e = JSON.parse(m[1] as string) as (typeof got)[number];
              if (!got.some((g) => g.id === e.id && e.id)) got.push(e);
            }
          }
        } catch {
          /* stopped */
        }
      })();
      return { got, stop: () => stop.abort() };
    };
    const reserve = () =>
      c.good<{ reservations: { address: string }[] }>('POST', '/api/addresses/reserve', {
        network: 'bw-machine',
        owner: { kind: 'hand', name: 'x' },
      });
    const first = await listen();
    const a = (await reserve()).reservations[0]?.address;
    const seen = await eventually(
      async () => first.got.find((e) => e.kind === 'Reservation' && e.subject.endsWith(a as string)),
      'the event',
    );
    first.stop();
    const missed = (await reserve()).reservations[0]?.address;
    const second = await listen(seen.id);
    await eventually(async () => second.got.some((e) => e.subject.endsWith(missed as string)), 'the missed event');
    expect(second.got.some((e) => e.id === seen.id)).toBe(false);
    second.stop();
  });
  it('are for who is signed in', async () => {
    expect((await fetch(`${i.config.publicUrl}/api/events`)).status).toBe(401);
  });
});

describe('what it says of itself', () => {
  it('health, readiness and its API', async () => {
    const anyone = new Client(i.config.publicUrl);
    expect(await anyone.good('GET', '/api/health')).toEqual({ ok: true });
    expect(await anyone.good('GET', '/api/ready')).toEqual({
      ready: true,
      checks: ['database', 'events', 'jobs'].map((name) => ({ name, ready: true })),
    });
    expect(await anyone.good('GET', '/api/openapi.json')).toMatchObject({ openapi: '3.1.0', info: { title: 'Praesidor' } });
  });
  it('a policy that lets the page load nothing from elsewhere', async () => {
    const r = await fetch(`${i.config.publicUrl}/estate`);
    expect([r.status, r.headers.get('content-type')]).toEqual([200, expect.stringContaining('text/html')]);
    expect(r.headers.get('content-security-policy')).toContain("default-src 'self'");
    expect(r.headers.get('x-content-type-options')).toBe('nosniff');
  });
  it('a record of who did what, newest first', async () => {
    const { acts } = await c.good<{ acts: { who: string; act: string; subject: string }[] }>('GET', '/api/acts');
    expect(acts.some((a) => a.who === 'warden' && a.act === 'reserved')).toBe(true);
  });
});

describe('the schema', () => {
  it('has every table that the code knows', async () => {
    for (const entity of i.running.ctx.db.entityMetadatas) {
      const columns = (await i.running.ctx.db.query('select column_name from information_schema.columns where table_name = $1', [
        entity.tableName,
      ])) as { column_name: string }[];
      expect([
        entity.tableName,
        entity.columns.map((x) => x.databaseName).filter((n) => !columns.some((x) => x.column_name === n)),
      ]).toEqual([entity.tableName, []]);
    }
  });
});

describe('the estate for a page', () => {
  interface Whole {
    estate: Estate;
    state: string;
    revision: number;
    versions: Record<string, number>;
  }
  const page = (c: Client, since?: string) =>
    c.good<Whole & SnapshotDifference>('GET', `/api/estate?for=page${since ? `&since=${since}` : ''}`);

  it('is told as what has changed since a state at hand, and that makes of it what is read whole', async () => {
    const c = await i.as('warden');
    const before = await page(c);
    await c.good('POST', '/api/edits', {
      why: 'x',
      edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value: 1450 }],
    });
    await c.good('POST', '/api/import', { text: 'kind: Baseline\nname: passing\nmodel: HW-1\n' });
    const d = await page(c, before.state);
    expect(d.estate).toBeUndefined();
    expect(d.difference.docs.map((x) => `${x.kind} ${keyOf(x)}`).sort()).toEqual(['Baseline passing', 'Network lr-machine']);
    expect(d.versions).toEqual({ 'Network lr-machine': (before.versions['Network lr-machine'] ?? 0) + 1 });
    await c.good('POST', '/api/edits', { why: 'x', edits: [{ op: 'drop', kind: 'Baseline', key: 'passing' }] });
    const e = await page(c, d.state);
    expect([e.difference.docs, e.difference.gone]).toEqual([[], ['Baseline passing']]);
    const made = applyDifference(applyDifference(before.estate, d.difference), e.difference);
    const whole = await page(c);
    const sorted = (x: Estate) =>
      docsOf(x)
        .map((y) => JSON.stringify(y))
        .sort();
    expect(sorted(made)).toEqual(sorted(whole.estate));
    expect(made.observed).toEqual(whole.estate.observed);
    expect(whole.state).toBe(e.state);
  });
  it('is whole again where the state at hand is not known here', async () => {
    const c = await i.as('reader');
    expect((await page(c, 'elsewhere-1')).estate.sites.length).toBeGreaterThan(0);
  });
  it('tells a signed-in reader the same as before, and nobody else', async () => {
    expect((await new Client(i.config.publicUrl).call('GET', '/api/estate?for=page&since=x')).status).toBe(401);
  });
});
