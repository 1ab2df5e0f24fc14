import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import type { DataSource } from 'typeorm';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { openDatabase } from '../src/db/data-source.ts';
import { statusOf } from '../src/engine/state.ts';
import { locks } from '../src/jobs/locks.ts';
import { privateDatabase } from './installation.ts';

/** A schema with what an earlier version left in it, brought up to date. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
beforeEach(async () => {
  database = await privateDatabase();
});
afterEach(() => database.drop());
const plan = JSON.stringify({
  charter: { release: '1.33.6', site: 'lr' },
  nodes: [{ host: 'lr-02' }, { host: 'lr-04' }],
});
/** Takes back migrations, the latest first, until the one that is named is taken back too. */
async function backBefore(db: DataSource, migration: string): Promise<void> {
  for (;;) {
    const [last] = (await db.query('select name from migrations order by id desc limit 1')) as { name: string }[];
    await db.undoLastMigration();
    if (last?.name.startsWith(migration)) return;
  }
}
/** The database as it was before a migration. */
async function before(migration: string): Promise<DataSource> {
  const db = await openDatabase(database.url);
  await backBefore(db, migration);
  return db;
}
const now = async (db: DataSource) => {
  await db.destroy();
  return openDatabase(database.url);
};

describe('a version that is not the one that was here last', () => {
  /** A process of an earlier version, as far as anybody sees: it holds the lock of those that live. */
  const lives = async () => {
    const c = new pg.Client({ connectionString: database.url });
    await c.connect();
    await c.query('select pg_advisory_lock($1, 4711)', [locks.worker]);
    return c;
  };
  it('does not change the tables while a process of the earlier one works with them, and does when it has ended', async () => {
    await (await before('Bundles')).destroy();
    const other = await lives();
    await expect(openDatabase(database.url, 300)).rejects.toThrow(
      'A process of an earlier version still works with this database, and this version has to change its tables. Stop all servers and workers, then start this version.',
    );
    const waiting = openDatabase(database.url, 20_000);
    await other.end();
    const db = await waiting;
    expect(await db.query("select to_regclass('bundle') is not null as there")).toEqual([{ there: true }]);
    await db.destroy();
  });
  it('starts beside those of its own', async () => {
    await (await openDatabase(database.url)).destroy();
    const other = await lives();
    await (await openDatabase(database.url, 300)).destroy();
    await other.end();
  });
  it('goes up, and back with the backup, as the guide says: the earlier one does not start over the tables of the later one', async () => {
    const guide = readFileSync(join(import.meta.dirname, '../../../docs/operations.md'), 'utf8');
    const told = (begins: string) => guide.match(new RegExp(`\`(${begins} [^\`]+)\``))?.[1] ?? '';
    const dir = mkdtempSync(join(tmpdir(), 'upgrade-'));
    const shell = (command: string, url: string) =>
      execFileSync('sh', ['-c', command], { cwd: dir, env: { ...process.env, DATABASE_URL: url }, stdio: 'pipe' });
    const empty = await privateDatabase();
    try {
      const old = await before('HostParts');
      await old.query("insert into site (key, doc, updated_by) values ('lr', '{\"name\": \"lr\"}', 'bo')");
      const host = { name: 'lr-02', site: 'lr', state: 'serving', drained: true };
      await old.query("insert into host (key, doc, updated_by) values ('lr-02', $1, 'bo')", [JSON.stringify(host)]);
      const earlier = (await old.query('select name from migrations order by id')) as object[];
      await old.destroy();
      shell(told('pg_dump'), database.url);
      const up = await openDatabase(database.url);
      expect(await up.query('select doc from whole_host')).toEqual([{ doc: host }]);
      // What the next version after this one will have done: to it, this one is the earlier.
      await up.query("insert into migrations (timestamp, name) values (9999, 'MuchLater9999')");
      await up.destroy();
      await expect(openDatabase(database.url)).rejects.toThrow(
        /was brought up to date by a later version, which knows MuchLater9999\. .*Start that version again, or restore the backup/,
      );
      shell(told('pg_restore'), empty.url);
      const back = new pg.Client({ connectionString: empty.url });
      await back.connect();
      expect((await back.query('select doc from host')).rows).toEqual([{ doc: host }]);
      expect((await back.query('select name from migrations order by id')).rows).toEqual(earlier);
      await back.end();
    } finally {
      await empty.drop();
      rmSync(dir, { recursive: true, force: true });
    }
  });
});

describe('builds of the version before changes of other kinds', () => {
  it('stay as they were: their hosts are those that they brought in', async () => {
    const db = await before('Changes');
    await db.query("insert into site (key, doc, updated_by) values ('lr', '{\"name\": \"lr\"}', 'bo')");
    for (const [name, state] of [
      ['lr-02', 'serving'],
      ['lr-04', 'held'],
      ['lr-05', 'serving'],
    ])
      await db.query('insert into host (key, doc, updated_by) values ($1, $2, $3)', [
        name,
        JSON.stringify({ name, site: 'lr', state, held: { charter: 'plover', role: 'worker' } }),
        'bo',
      ]);
    for (const [n, state] of [
      [1, 'done'],
      [2, 'running'],
      [3, 'failed'],
    ] as const)
      await db.query(
        "insert into build (charter, number, revision, plan, steps, created_at, created_by, state) values ('plover', $1, 1, $2, '[]', now(), 'bo', $3)",
        [n, plan, state],
      );
    const up = await now(db);
    const rows = (await up.query(
      'select b.number, b.kind, r.title, b.moves, b.decided, r.state from build b join run r on r.id = b.id order by number',
    )) as object[];
    const same = {
      kind: 'build',
      title: 'Build plover',
      moves: { joins: ['lr-02', 'lr-04'], leaves: [], stands: [] },
      decided: {},
    };
    expect(rows).toEqual([
      { number: 1, ...same, state: 'done' },
      { number: 2, ...same, state: 'running' },
      { number: 3, ...same, state: 'failed' },
    ]);
    // A host that serves is known to have what it was built with; one that does not, or was not in the build, is not.
    const held = (await up.query("select key, doc->'held' as held from whole_host order by key")) as {
      key: string;
      held: object;
    }[];
    const without = { charter: 'plover', role: 'worker' };
    expect(held.map((h) => h.held)).toEqual([{ ...without, release: '1.33.6', installed: 'build 1' }, without, without]);
    // Of one cluster at most one change is under way: the database itself lets no second one begin.
    await expect(
      up.query(
        "insert into run (kind, subject, exclusive, site, title, steps, created_at, created_by, state) values ('change', 'plover 4', 'Charter plover', 'lr', 'x', '[]', now(), 'bo', 'queued')",
      ),
    ).rejects.toThrow('run_exclusive');
    await up.destroy();
  });
});

describe('hosts of the version before their parts stood apart', () => {
  it('are the same whole: what is declared, what acts came to and what was read stand apart; one step back, they are one again', async () => {
    const db = await before('HostParts');
    await db.query("insert into site (key, doc, updated_by) values ('lr', '{\"name\": \"lr\"}', 'bo')");
    const held = { charter: 'plover', role: 'worker' };
    const docs = [
      { name: 'lr-02', site: 'lr', state: 'serving', held, drained: true, unit: 4, facts: { serial: 'SN-2', cores: 16 } },
      { name: 'lr-04', site: 'lr', state: 'resting', wiped: { at: 'x', by: 'bo', drives: [] } },
      { name: 'lr-05', site: 'lr' },
    ];
    for (const d of docs)
      await db.query("insert into host (key, doc, version, updated_by) values ($1, $2, 7, 'bo')", [d.name, JSON.stringify(d)]);
    const up = await now(db);
    const read = async (sql: string) => (await up.query(sql)) as Record<string, unknown>[];
    expect((await read('select doc from whole_host order by key')).map((r) => r.doc)).toEqual(docs);
    expect(await read('select doc, version from host order by key limit 1')).toEqual([
      { doc: { name: 'lr-02', site: 'lr', unit: 4 }, version: 7 },
    ]);
    expect(await read('select doc, held_by from host_state order by key')).toEqual([
      { doc: { state: 'serving', held, drained: true }, held_by: 'plover' },
      { doc: { state: 'resting', wiped: { at: 'x', by: 'bo', drives: [] } }, held_by: null },
      { doc: {}, held_by: null },
    ]);
    expect(await read('select serial from host_seen order by key')).toEqual([
      { serial: 'SN-2' },
      { serial: null },
      { serial: null },
    ]);
    await backBefore(up, 'HostParts');
    expect((await read('select doc from host order by key')).map((r) => r.doc)).toEqual(docs);
    expect((await read("select held_by, serial from host where key = 'lr-02'"))[0]).toEqual({
      held_by: 'plover',
      serial: 'SN-2',
    });
    await up.destroy();
  });
});

describe('builds and work of the version before they were one', () => {
  it('are runs: steps, events, logs and what was put down go on where they were', async () => {
    const db = await before('Runs');
    const steps = [
      { id: 'preflight', lane: 'estate', kind: 'preflight', title: 'measure', after: [], p50: 1, p90: 2 },
      {
        id: 'lr-02/power',
        lane: 'lr-02',
        kind: 'power',
        title: 'power',
        host: 'lr-02',
        shares: 'controllers lr',
        after: ['preflight'],
        p50: 1,
        p90: 2,
      },
    ];
    const [{ id }] = (await db.query(
      `insert into build (charter, number, kind, title, moves, revision, plan, steps, created_at, created_by, state, run_by)
       values ('plover', 1, 'build', 'Build plover', '{"joins": [], "leaves": [], "stands": []}', 1, $1, $2, now(), 'bo', 'running', 'bo') returning id`,
      [plan, JSON.stringify(steps)],
    )) as [{ id: number }];
    const at = '2026-11-23T09:00:00.000Z';
    for (const e of [
      { kind: 'begun' },
      { kind: 'started', step: 'preflight' },
      { kind: 'succeeded', step: 'preflight', text: 'good' },
      { kind: 'started', step: 'lr-02/power' },
    ])
      await db.query('insert into build_event (build, data) values ($1, $2)', [id, JSON.stringify({ at, ...e })]);
    await db.query("insert into build_log (build, step, level, line) values ($1, 'preflight', 'info', 'good')", [id]);
    const items = [
      { host: 'lr-03', state: 'done', percent: 100, text: 'erased' },
      { host: 'lr-04', state: 'running', percent: 40, text: 'sda, 40 %', knows: { tasks: '[]' } },
      { host: 'lr-05', state: 'failed', percent: 0, text: 'no drive', remedy: 'by hand' },
    ];
    await db.query(
      "insert into host_work (kind, site, title, items, asked, state, created_by) values ('wipe', 'lr', 'Wipe of 3 hosts', $1, '{}', 'running', 'bo')",
      [JSON.stringify(items)],
    );
    const up = await now(db);
    const runs = (await up.query('select id, kind, subject, exclusive, steps, state, run_by from run order by id')) as {
      id: number;
      kind: string;
      subject: string;
      exclusive: string | null;
      steps: (typeof steps)[number][];
      state: string;
    }[];
    expect(runs.map((r) => [r.id, r.kind, r.subject, r.exclusive, r.state])).toEqual([
      [id, 'change', 'plover 1', 'Charter plover', 'running'],
      [id + 1, 'work', String(id + 1), null, 'running'],
    ]);
    const [build, work] = runs as [(typeof runs)[number], (typeof runs)[number]];
    expect(build.steps.map((s) => s.shares)).toEqual([undefined, { limit: 'controllers', of: 'lr', room: 16 }]);
    const built = await statusOf(up.manager, build as never);
    expect([built.state, built.begun, built.steps.preflight?.state, built.steps['lr-02/power']?.state]).toEqual([
      'running',
      at,
      'done',
      'running',
    ]);
    // Only steps of runs that ended well are gone by.
    expect(await up.query('select * from step_took')).toEqual([]);
    expect(await up.query('select step, line from run_log where run = $1', [id])).toEqual([{ step: 'preflight', line: 'good' }]);
    const wiped = await statusOf(up.manager, work as never);
    expect(wiped.steps).toMatchObject({
      'lr-03': { state: 'done', text: 'erased' },
      'lr-04': { state: 'running', done: 40, of: 100, notes: { tasks: '[]' } },
      'lr-05': { state: 'failed', text: 'no drive', remedy: 'by hand' },
    });
    // Numbers go on behind what is there, and the way back leads to what was.
    const [{ next }] = (await up.query("select nextval('run_id_seq')::int as next")) as [{ next: number }];
    expect(next).toBe(id + 2);
    await backBefore(up, 'Runs');
    expect(await up.query('select id, state, title, steps from build')).toEqual([
      { id, state: 'running', title: 'Build plover', steps },
    ]);
    expect(await up.query('select count(*)::int as n from build_event')).toEqual([{ n: 4 }]);
    expect(
      (await up.query(
        "select i->>'host' as host, i->>'state' as state from host_work, jsonb_array_elements(items) i",
      )) as object[],
    ).toEqual(items.map(({ host, state }) => ({ host, state })));
    await up.destroy();
  });
});

describe('a shipment that was under way before shipments were runs', () => {
  it('is a run that has not begun, of its phase; on the way back it is stopped', async () => {
    const db = await before('ShipmentRuns');
    await db.query("insert into site (key, doc, updated_by) values ('lr', '{\"name\": \"lr\"}', 'bo')");
    await db.query(
      `insert into registry (key, doc, updated_by) values ('lr-registry', '{"name": "lr-registry", "site": "lr"}', 'x')`,
    );
    for (const [n, [state, way]] of [
      ['landing', 'case'],
      ['landed', 'case'],
      ['waiting', 'link'],
      ['planned', 'link'],
    ].entries())
      await db.query(
        `insert into shipment (label, source, target, way, bills, state, phase, created_at, created_by, bytes, declared_bytes, moved_bytes, run_by)
         values ($1, 'upstream', 'lr-registry', $2, '[]', $3, 'land', now(), 'bo', 1, 1, 0, 'ann')`,
        [`LR-${n}`, way, state],
      );
    const up = await now(db);
    const runs = (await up.query(
      "select subject, site, state, run_by, steps->0->>'kind' as phase, admitted from run order by id",
    )) as object[];
    expect(runs).toEqual([
      { subject: 'LR-0', site: 'lr', state: 'queued', run_by: 'ann', phase: 'land', admitted: true },
      { subject: 'LR-2', site: 'lr', state: 'queued', run_by: 'ann', phase: 'move', admitted: true },
    ]);
    await backBefore(up, 'ShipmentRuns');
    expect(await up.query('select state from shipment order by id')).toEqual(
      ['stopped', 'landed', 'stopped', 'planned'].map((state) => ({ state })),
    );
    await up.destroy();
  });
});

describe('what was built before steps were gone by', () => {
  it('is gone by: how long each step took, and on which model', async () => {
    const db = await before('Took');
    const steps = [
      { id: 'a/system', lane: 'a', host: 'a', kind: 'system', title: 'system', after: [], p50: 1, p90: 2 },
      { id: 'g/cast', lane: 'g', host: 'g', kind: 'cast', title: 'cast', after: [], p50: 1, p90: 2 },
      { id: 'proof', lane: 'plover', kind: 'proof', title: 'proof', after: [], p50: 1, p90: 2 },
    ];
    const status = {
      state: 'done',
      steps: {
        'a/system': { state: 'done', attempt: 1, healed: [], started: '2026-11-23T09:00:00Z', ended: '2026-11-23T09:09:30Z' },
        'g/cast': { state: 'done', attempt: 1, healed: [], started: '2026-11-23T09:00:00Z', ended: '2026-11-23T09:00:40Z' },
        // Nobody did it: it took no time.
        proof: { state: 'skipped', attempt: 0, healed: [], ended: '2026-11-23T09:10:00Z' },
      },
    };
    const [{ id }] = (await db.query(
      `insert into run (kind, subject, site, title, steps, state, status, upto, admitted, created_at, created_by)
         values ('change', 'plover 1', 'lr', 'Build plover', $1, 'done', $2, 0, true, now(), 'bo') returning id`,
      [JSON.stringify(steps), JSON.stringify(status)],
    )) as [{ id: number }];
    const nodes = [
      { host: 'a', facts: { maker: 'Harrow Works', model: 'HW-220' } },
      { host: 'g', guest: { hypervisor: 'hv', mould: 'node' }, facts: { maker: '', model: '' } },
    ];
    await db.query(
      "insert into build (id, charter, number, revision, plan, kind, moves) values ($1, 'plover', 1, 1, $2, 'build', $3)",
      [id, JSON.stringify({ nodes }), JSON.stringify({ joins: [], leaves: [], stands: [] })],
    );
    const up = await now(db);
    expect(await up.query('select run, kind, model, size, seconds from step_took order by id')).toEqual([
      { run: id, kind: 'system', model: 'Harrow Works HW-220', size: 1, seconds: 570 },
      { run: id, kind: 'cast', model: 'mould node', size: 1, seconds: 40 },
    ]);
  });
});
