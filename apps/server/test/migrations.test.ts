import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openDatabase } from '../src/db/data-source.ts';
import { privateDatabase } from './installation.ts';

/** A schema with what an earlier version left in it, brought up to date. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
beforeAll(async () => {
  database = await privateDatabase();
});
afterAll(() => database.drop());

describe('builds of the version before changes of other kinds', () => {
  it('stay as they were: their hosts are those that they brought in', async () => {
    const db = await openDatabase(database.url);
    await db.undoLastMigration();
    const plan = JSON.stringify({ charter: { release: '1.33.6' }, nodes: [{ host: 'lr-02' }, { host: 'lr-04' }] });
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
    const insert = (number: number, state: string) =>
      db.query(
        "insert into build (charter, number, revision, plan, steps, created_at, created_by, state) values ('plover', $1, 1, $2, '[]', now(), 'bo', $3) returning id",
        [number, plan, state],
      );
    for (const [n, state] of [
      [1, 'done'],
      [2, 'running'],
      [3, 'failed'],
    ] as const)
      await insert(n, state);
    await db.destroy();
    const now = await openDatabase(database.url);
    const rows = (await now.query('select number, kind, title, moves, decided, state from build order by number')) as object[];
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
    const held = (await now.query("select key, doc->'held' as held from host order by key")) as { key: string; held: object }[];
    const before = { charter: 'plover', role: 'worker' };
    expect(held.map((h) => h.held)).toEqual([{ ...before, release: '1.33.6', installed: 'build 1' }, before, before]);
    // Of one cluster at most one change is under way: the database itself lets no second one begin.
    await expect(
      now.query(
        "insert into build (charter, number, kind, title, moves, revision, plan, steps, created_at, created_by, state) values ('plover', 4, 'build', 'x', '{}', 1, '{}', '[]', now(), 'bo', 'queued')",
      ),
    ).rejects.toThrow('build_one_at_a_time');
    await now.destroy();
  });
});
