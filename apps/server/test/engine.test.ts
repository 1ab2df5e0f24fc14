import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { DataSource } from 'typeorm';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { type RunEvent, type Share, stateAfter, type Step, usual } from '@praesidor/core/schedule';
import type { Context } from '../src/context.ts';
import { openDatabase } from '../src/db/data-source.ts';
import { Runs, type RunRow } from '../src/db/tables.ts';
import { actOnRun, type Asked, type RunAct } from '../src/engine/acts.ts';
import { driveAlone } from '../src/engine/drive.ts';
import { NotBefore, StepFailure } from '../src/engine/failure.ts';
import type { Driven, RunKind, StepTools } from '../src/engine/kind.ts';
import { append, statusOf } from '../src/engine/state.ts';
import { admit, takeUp } from '../src/engine/turns.ts';
import { Bus } from '../src/events/bus.ts';
import { Queue } from '../src/jobs/queue.ts';
import { eventually, privateDatabase } from './installation.ts';

/** What drives long work, with steps that do what the test says. */
let database: Awaited<ReturnType<typeof privateDatabase>>;
let db: DataSource;
const dir = mkdtempSync(join(tmpdir(), 'engine-'));
/** What a step does, by run and step; without an entry it is done at once. */
const acts = new Map<string, (t: StepTools) => Promise<string>>();
/** What happens to a run as a process begins to drive it. */
const opens = new Map<string, (run: RunRow) => Promise<void>>();
/** The order in which steps began, and how many were at something that is shared at most. */
let began: string[] = [];
let now = new Map<string, number>();
let most = new Map<string, number>();

const kind: RunKind = {
  kind: 'change',
  act: 'builds.run',
  noun: 'a build',
  called: (run) => `build ${run.subject}`,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (_, run) => {
    await opens.get(run.subject)?.(run);
    return driven(run);
  },
};
const driven = (run: RunRow): Driven => ({
  perform: async (t) => {
    began.push(`${run.subject} ${t.step.id}`);
    const at = t.step.shares?.of ?? '';
    now.set(at, (now.get(at) ?? 0) + 1);
    most.set(at, Math.max(most.get(at) ?? 0, now.get(at) ?? 0));
    try {
      return (await acts.get(`${run.subject} ${t.step.id}`)?.(t)) ?? 'done';
    } finally {
      now.set(at, (now.get(at) ?? 0) - 1);
    }
  },
});
const opened: { queue: Queue; bus: Bus }[] = [];
/** A process that does work, on the one database. */
async function worker(): Promise<Context> {
  const bus = await new Bus(database.url, () => undefined).open();
  const queue = new Queue(database.url, dir, bus, () => undefined);
  const ctx = { db, bus, queue, log: () => undefined } as unknown as Context;
  queue.handle('run', (id, signal) => driveAlone(ctx, new Map([[kind.kind, kind]]), Number(id), signal));
  await queue.start();
  opened.push({ queue, bus });
  return ctx;
}
let ctx: Context;
beforeAll(async () => {
  database = await privateDatabase();
  db = await openDatabase(database.url);
  await db.query(
    `insert into site (key, doc, updated_by) values ('lr', '{"name": "lr", "limits": {"builds": 2, "controllers": 1}}', 'x'), ('bw', '{"name": "bw"}', 'x')`,
  );
  ctx = await worker();
  await worker();
});
afterAll(async () => {
  for (const { queue, bus } of opened) {
    await queue.stop();
    await bus.close();
  }
  await db.destroy();
  await database.drop();
  rmSync(dir, { recursive: true, force: true });
});
beforeEach(() => {
  acts.clear();
  [began, now, most] = [[], new Map(), new Map()];
});

const step = (id: string, after: string[] = [], more: Partial<Step> = {}): Step => {
  const k = more.kind ?? 'names';
  return { id, lane: id, kind: k, title: id, after, p50: usual[k][0], p90: usual[k][1], ...more };
};
let number = 0;
/** Queues a run, and lets it have its turn. */
async function queued(
  steps: Step[],
  {
    site = 'bw',
    who = 'Praesidor',
    turn = true,
    charter,
  }: { site?: string; who?: string; turn?: boolean; charter?: string } = {},
): Promise<RunRow> {
  const subject = `c${++number} 1`;
  await db.manager.insert(Runs, {
    kind: 'change',
    subject,
    exclusive: subject,
    site,
    title: subject,
    steps: steps as never,
    asked: charter ? { charter } : {},
    state: 'queued',
    admitted: false,
    createdAt: new Date(),
    createdBy: who,
    runBy: 'Praesidor',
  });
  if (turn) await db.transaction((m) => admit(ctx, m, site));
  return db.manager.findOneByOrFail(Runs, { subject });
}
const status = (run: RunRow) => statusOf(db.manager, run);
const ends = (run: RunRow, state = 'done') =>
  eventually(async () => (await status(run)).state === state, `${run.subject} to be ${state}`);
const act = (run: RunRow, name: RunAct, asked: Asked = {}) =>
  db.transaction(async (m) => actOnRun(ctx, m, kind, await m.findOneByOrFail(Runs, { id: run.id }), name, 'Praesidor', asked));
/** A step that goes on until it is let go, or stopped. */
function held(key: string) {
  let free: () => void = () => undefined;
  const gate = new Promise<void>((go) => {
    free = go;
  });
  acts.set(key, async ({ signal }) => {
    await Promise.race([gate, new Promise<void>((go) => signal.addEventListener('abort', () => go(), { once: true }))]);
    return 'let go';
  });
  return () => free();
}

describe('turns', () => {
  /** Runs of the site that have their turn. */
  const open = async () =>
    (
      (await db.query(
        "select subject from run where admitted and site = 'lr' and state in ('queued', 'running') order by id",
      )) as RunRow[]
    ).map((r) => r.subject);
  it('as many changes of a site as it allows; whoever has fewest is next, then the oldest', async () => {
    const runs: RunRow[] = [];
    for (const who of ['ann', 'ann', 'ann', 'bo']) runs.push(await queued([step('a')], { site: 'lr', who, turn: false }));
    const [one, two, three, four] = runs as [RunRow, RunRow, RunRow, RunRow];
    const go = new Map(runs.map((r) => [r.id, held(`${r.subject} a`)]));
    await db.transaction((m) => admit(ctx, m, 'lr'));
    // Ann's first, and then Bo's, who came last and has none.
    expect(await open()).toEqual([one.subject, four.subject]);
    go.get(one.id)?.();
    await ends(one);
    expect(await open()).toEqual([two.subject, four.subject]);
    // One that is paused holds no place, and takes it up again.
    await eventually(async () => (await status(two)).state === 'running', 'the second to run');
    await act(two, 'pause');
    expect(await open()).toEqual([three.subject, four.subject]);
    for (const r of [two, three, four]) go.get(r.id)?.();
    await act(two, 'continue');
    for (const r of [two, three, four]) await ends(r);
  });
  it('the team that has fewest is next, however many of its people ask; of a team whoever has fewest', async () => {
    for (const [name, team] of [
      ['tern', 'ticketing'],
      ['plover', 'traffic'],
    ]) {
      await db.query("insert into team (key, doc, updated_by) values ($1, jsonb_build_object('name', $1::text), 'x')", [team]);
      await db.query(
        "insert into charter (key, doc, updated_by) values ($1, jsonb_build_object('name', $1::text, 'team', $2::text, 'site', 'lr'), 'x')",
        [name, team],
      );
    }
    const runs: RunRow[] = [];
    // Three people of one team come first, one of the other last; and one of the first comes twice.
    for (const [who, charter] of [
      ['ann', 'tern'],
      ['ann', 'tern'],
      ['cleo', 'tern'],
      ['bo', 'plover'],
    ] as const)
      runs.push(await queued([step('a')], { site: 'lr', who, turn: false, charter }));
    const [one, two, three, four] = runs as [RunRow, RunRow, RunRow, RunRow];
    const go = new Map(runs.map((r) => [r.id, held(`${r.subject} a`)]));
    await db.transaction((m) => admit(ctx, m, 'lr'));
    // By people alone Cleo's would be the second.
    expect(await open()).toEqual([one.subject, four.subject]);
    go.get(four.id)?.();
    await ends(four);
    // Ann has one under way already: of the team it is Cleo's turn, who came after her.
    expect(await open()).toEqual([one.subject, three.subject]);
    for (const r of [one, two, three]) go.get(r.id)?.();
    for (const r of [one, two, three]) await ends(r);
  });
  it('a limit that was raised meanwhile holds for those who wait', async () => {
    const runs: RunRow[] = [];
    for (let n = 0; n < 3; n++) runs.push(await queued([step('a')], { site: 'lr', turn: false }));
    const go = runs.map((r) => held(`${r.subject} a`));
    await db.transaction((m) => admit(ctx, m, 'lr'));
    await db.query("update site set doc = jsonb_set(doc, '{limits,builds}', '3') where key = 'lr'");
    await takeUp(ctx);
    await eventually(async () => (await Promise.all(runs.map(status))).every((s) => s.state === 'running'), 'all three to run');
    await db.query("update site set doc = jsonb_set(doc, '{limits,builds}', '2') where key = 'lr'");
    for (const g of go) g();
    for (const r of runs) await ends(r);
  });
});

describe('places', () => {
  const shares: Share = { limit: 'controllers', of: 'lr', room: 1 };
  it('a limit that was raised meanwhile holds for a run that is under way', async () => {
    await db.query(`insert into site (key, doc, updated_by) values ('kt', '{"name": "kt", "limits": {"controllers": 1}}', 'x')`);
    const list = Array.from({ length: 6 }, (_, k) => step(`r${k}`, [], { shares: { ...shares, of: 'kt' } }));
    const run = await queued(list, { turn: false });
    const go = list.map((s) => held(`${run.subject} ${s.id}`));
    const running = async () => Object.values((await status(run)).steps).filter((s) => s.state === 'running').length;
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await eventually(async () => (await running()) === 1, 'one at a time, as it was planned');
    await db.query("update site set doc = jsonb_set(doc, '{limits,controllers}', '3') where key = 'kt'");
    await eventually(async () => (await running()) === 3, 'three at a time');
    for (const g of go) g();
    await ends(run);
  });
  it('what steps of several runs share is used by as many as the site allows, in turn', async () => {
    const list = Array.from({ length: 4 }, (_, k) => step(`s${k}`, [], { shares: { ...shares, room: 4 } }));
    const [one, two] = [await queued(list, { turn: false }), await queued(list, { turn: false })];
    for (const r of [one, two])
      for (const s of list)
        acts.set(`${r.subject} ${s.id}`, async () => {
          // Longer than it takes the other one to ask.
          await eventually(
            async () => began.length > 4 || (await db.query('select 1 from run_lease where not held')).length >= 4,
            'the other to ask',
          );
          return 'done';
        });
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await ends(one);
    await ends(two);
    expect(began).toHaveLength(8);
    // The plan says four, the site says one by now.
    expect(most.get('lr')).toBe(1);
    // Nobody has all of them before the other one has any.
    const first = began[0]?.split(' ')[0];
    expect(began.slice(1, 4).some((b) => !b.startsWith(`${first} `))).toBe(true);
    expect(await db.query('select * from run_lease')).toEqual([]);
  });
  it('are given back by one that is stopped', async () => {
    const one = await queued([step('a', [], { shares })]);
    held(`${one.subject} a`);
    await eventually(async () => (await status(one)).steps.a?.state === 'running', 'the step to run');
    const two = await queued([step('a', [], { shares })]);
    await eventually(async () => (await db.query('select 1 from run_lease where not held')).length === 1, 'the other to wait');
    expect((await status(two)).steps.a?.state).toBe('waiting');
    await act(one, 'stop');
    await ends(two);
  });
});

describe('a run', () => {
  it('has the state that all its events have, whatever of them was kept before', async () => {
    const run = await queued([step('a'), step('b', ['a'])]);
    acts.set(`${run.subject} a`, async ({ note, healed }) => {
      for (let n = 0; n < 450; n++) await note('n', String(n));
      await healed('once');
      return 'counted';
    });
    await ends(run);
    const events = (await db.query('select data from run_event where run = $1 order by id', [run.id])) as { data: RunEvent }[];
    expect(events.length).toBeGreaterThan(450);
    const [kept] = (await db.query('select upto, status, summary from run where id = $1', [run.id])) as {
      upto: string;
      summary: object;
    }[];
    expect(Number(kept?.upto)).toBeGreaterThan(0);
    const whole = stateAfter(
      run.steps,
      events.map((e) => e.data),
    );
    expect(await status(run)).toEqual(JSON.parse(JSON.stringify(whole)));
    expect(kept?.summary).toMatchObject({ state: 'done', of: 2, done: 2, healed: 1, failed: 0 });
    expect(whole.steps.a?.notes).toEqual({ n: '449' });
  });
  it('is stored with its state, or not at all: a kill between the two leaves none', async () => {
    const run = await queued([step('a')], { turn: false });
    await db.query(
      "create or replace function no_state() returns trigger language plpgsql as $$ begin raise exception 'killed'; end $$",
    );
    await db.query(
      `create trigger no_state before update on run for each row when (old.id = ${run.id}) execute function no_state()`,
    );
    await expect(append(db.manager, run, { kind: 'begun' })).rejects.toThrow('killed');
    await db.query('drop trigger no_state on run');
    expect(await db.query('select 1 from run_event where run = $1', [run.id])).toEqual([]);
    // And one whose row is behind its events is driven all the same.
    await db.query(
      "insert into run_event (run, data) values ($1, jsonb_build_object('kind', 'begun', 'at', '2026-11-23T09:00:00Z'))",
      [run.id],
    );
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await ends(run);
    expect(began).toHaveLength(1);
  });
  it('that is stopped as it begins is stopped at once, and what its step does after that is not its state', async () => {
    const run = await queued([step('a')]);
    acts.set(`${run.subject} a`, ({ signal }) => new Promise((go) => signal.addEventListener('abort', () => go('too late'))));
    await eventually(async () => (await status(run)).state === 'running', 'it to run');
    const asked = Date.now();
    await act(run, 'stop');
    await eventually(
      async () =>
        (await db.query("select 1 from jobs.job where name = 'run' and state = 'active' and data->>'id' = $1", [String(run.id)]))
          .length === 0,
      'its driver to let go',
    );
    expect(Date.now() - asked).toBeLessThan(3000);
    expect((await status(run)).steps.a?.state).toMatch(/cut|waiting/);
    expect(await append(db.manager, run, { kind: 'succeeded', step: 'a', text: 'too late' })).toBe(false);
  });
  it('that is stopped as a process takes it up stays stopped, and none of its steps begins', async () => {
    const run = await queued([step('a')], { turn: false });
    opens.set(run.subject, () => act(run, 'stop'));
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await eventually(
      async () =>
        (
          await db.query("select 1 from jobs.job where name = 'run' and state = 'completed' and data->>'id' = $1", [
            String(run.id),
          ])
        ).length,
      'the process to let it go',
    );
    expect((await status(run)).state).toBe('stopped');
    expect(began).toEqual([]);
  });
  it('that is resumed while a step of it winds down is driven by one at a time', async () => {
    const run = await queued([step('a')]);
    let [at, both] = [0, 0];
    acts.set(`${run.subject} a`, async ({ signal }) => {
      both = Math.max(both, ++at);
      // What it waits for answers late, although it was told to stop.
      await new Promise<void>((go) => (signal.aborted ? go() : signal.addEventListener('abort', () => setTimeout(go, 700))));
      at--;
      return 'late';
    });
    await eventually(async () => (await status(run)).steps.a?.state === 'running', 'the step to run');
    await act(run, 'stop');
    acts.set(`${run.subject} a`, async () => {
      both = Math.max(both, ++at);
      at--;
      return 'done';
    });
    await act(run, 'resume');
    await ends(run);
    expect([both, began.length]).toEqual([1, 2]);
  });
});

describe('a step that waits for a time', () => {
  const shares: Share = { limit: 'controllers', of: 'lr', room: 1 };
  it('is begun then, and not before; meanwhile the rest goes on and its place is free', async () => {
    const run = await queued([step('late', [], { shares }), step('b'), step('c', ['b'], { shares })], { turn: false });
    let from = 0;
    acts.set(`${run.subject} late`, async ({ before }) => {
      if (before.attempt > 1) return `begun ${Date.now() - from} ms after`;
      from = Date.now() + 700;
      throw new NotBefore('its hours have not come', new Date(from).toISOString());
    });
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await eventually(async () => (await status(run)).steps.c?.state === 'done', 'the rest to be done');
    const waits = (await status(run)).steps.late;
    expect([waits?.state, waits?.text, Date.parse(waits?.until ?? '')]).toEqual(['waiting', 'its hours have not come', from]);
    await ends(run);
    const late = (await status(run)).steps.late;
    expect([late?.attempt, late?.until]).toEqual([2, undefined]);
    const after = Number(late?.text?.split(' ')[1]);
    // Not by a quiet look, which comes after five seconds.
    expect(after).toBeGreaterThanOrEqual(0);
    expect(after).toBeLessThan(3000);
  });
  it('and for a place after that asks for it now and then, and not all the time', async () => {
    const holder = await queued([step('a', [], { shares })], { turn: false });
    const go = held(`${holder.subject} a`);
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await eventually(async () => (await status(holder)).steps.a?.state === 'running', 'somebody to have the place');
    const run = await queued([step('late')], { turn: false });
    await db.query('update run set steps = $2 where id = $1', [run.id, JSON.stringify([step('late', [], { shares })])]);
    // It was put off, and its time has come: the place is another one's.
    for (const e of [
      { kind: 'begun' },
      { kind: 'started', step: 'late' },
      { kind: 'deferred', step: 'late', until: new Date(Date.now() - 1000).toISOString(), text: 'not yet' },
    ] as const)
      await append(db.manager, run, e);
    const asked: number[] = [];
    const query = db.manager.query.bind(db.manager);
    db.manager.query = (async (sql: string, values: unknown[]) => {
      if (sql.includes('take_lease') && values[1] === run.id) asked.push(Date.now());
      return query(sql, values);
    }) as never;
    await db.query('update run set admitted = true where id = $1', [run.id]);
    await takeUp(ctx);
    await eventually(() => Promise.resolve(asked.length >= 2), 'it to ask for the place');
    db.manager.query = query as never;
    expect((asked[1] as number) - (asked[0] as number)).toBeGreaterThan(500);
    go();
    await ends(run);
  });
  it('knows of its first try that it is the first, whatever else is asked of the run at that moment', async () => {
    const list = Array.from({ length: 30 }, (_, k) => step(`s${k}`));
    const run = await queued(list, { turn: false });
    const tries: number[] = [];
    for (const s of list)
      acts.set(`${run.subject} ${s.id}`, async ({ before, note }) => {
        tries.push(before.attempt);
        await note('n', '1');
        return 'done';
      });
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await ends(run);
    expect(tries).toEqual(list.map(() => 1));
  });
  it('that is stopped meanwhile is begun at once when the run is resumed', async () => {
    const run = await queued([step('late')], { turn: false });
    let tries = 0;
    acts.set(`${run.subject} late`, async () => {
      if (++tries === 1) throw new NotBefore('tomorrow', new Date(Date.now() + 86_400_000).toISOString());
      return 'done';
    });
    await db.transaction((m) => admit(ctx, m, 'bw'));
    await eventually(async () => (await status(run)).steps.late?.until, 'it to wait');
    await act(run, 'stop');
    await act(run, 'resume');
    await ends(run);
    expect(tries).toBe(2);
  });
});

describe('one step', () => {
  const failing = async (text: string) => {
    throw new StepFailure(text, 'mend it');
  };
  it('is skipped for a reason, with a name, and what comes after it goes on', async () => {
    const run = await queued([step('a', [], { kind: 'inbound' }), step('b', ['a'])]);
    acts.set(`${run.subject} a`, () => failing('no answer'));
    await ends(run, 'failed');
    await expect(act(run, 'skip', { step: 'a', reason: '  ' })).rejects.toThrow('for a reason');
    await act(run, 'skip', { step: 'a', reason: 'the router comes on Monday' });
    await act(run, 'resume');
    await ends(run);
    const s = await status(run);
    expect(s.steps.a).toMatchObject({ state: 'skipped', skipped: { reason: 'the router comes on Monday', by: 'Praesidor' } });
    expect(s.steps.b?.state).toBe('done');
    const [said] = await db.query("select act, detail from audit where act like 'skipped%' order by id desc limit 1");
    expect(said).toMatchObject({ act: 'skipped a step of a build', detail: { step: 'a', reason: 'the router comes on Monday' } });
  });
  it('that later ones stand on is not skipped', async () => {
    const run = await queued([step('a', [], { kind: 'power' }), step('b', ['a'])]);
    acts.set(`${run.subject} a`, () => failing('no power'));
    await ends(run, 'failed');
    await expect(act(run, 'skip', { step: 'a', reason: 'x' })).rejects.toThrow('what comes after it stands on it');
    await expect(act(run, 'skip', { step: 'z', reason: 'x' })).rejects.toThrow('has no step z');
  });
  it('is repeated while the rest goes on, and knows whether its last try failed', async () => {
    const run = await queued([step('a'), step('b')]);
    const go = held(`${run.subject} b`);
    const tries: (string | undefined)[] = [];
    acts.set(`${run.subject} a`, async ({ before }) => {
      tries.push(before.failed);
      return tries.length === 1 ? failing('once') : 'done';
    });
    await eventually(async () => (await status(run)).steps.a?.state === 'failed', 'it to fail');
    await act(run, 'retry');
    await eventually(async () => (await status(run)).steps.a?.state === 'done', 'it to be done');
    await act(run, 'repeat', { step: 'a' });
    await eventually(async () => tries.length === 3, 'it to be done once more');
    expect(tries).toEqual([undefined, 'once', undefined]);
    await expect(act(run, 'repeat', { step: 'b' })).rejects.toThrow('runs at the moment');
    go();
    await ends(run);
  });
});

it('a process joins those that drive runs, whatever they are at', async () => {
  const run = await queued([step('a')]);
  const go = held(`${run.subject} a`);
  await eventually(async () => (await status(run)).steps.a?.state === 'running', 'the step to run');
  await worker();
  go();
  await ends(run);
});
