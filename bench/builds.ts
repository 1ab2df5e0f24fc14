import { type ChildProcess, fork } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { DataSource } from 'typeorm';
import { share, type Step, usual } from '@praesidor/core/schedule';
import { type Doc, keyOf, writeDocument } from '@praesidor/core/model';
import { eventually, Installation, prepare, privateDatabase } from '../apps/server/test/installation.ts';
import { openDatabase } from '../apps/server/src/db/data-source.ts';
import { Runs, tableOf } from '../apps/server/src/db/tables.ts';
import { asEstate, largeEstate } from '../demo/large/estate.ts';
import { openBrowser } from '../e2e/lib/browser.ts';
import { meanwhile } from './ground.ts';
import { machine } from './hosts.ts';
import { median, row } from './measure.ts';

const builds = 200;
const hosts = 10;
const sites = 40;
const kills = 50;

/** What a build of ten hosts does, with what its steps share: three members, seven workers. */
function stepsOf(site: string, of: ReturnType<typeof asEstate>): Step[] {
  const out: Step[] = [];
  const add = (id: string, kind: Step['kind'], after: string[], shares?: Step['shares']) => {
    const [p50, p90] = usual[kind];
    out.push({ id, lane: id.split('/')[0] as string, kind, title: kind, after, p50, p90, ...(shares ? { shares } : {}) });
    return id;
  };
  const names = add('names', 'names', [add('preflight', 'preflight', [])]);
  const names10 = Array.from({ length: hosts }, (_, k) => `h${k}`);
  for (const h of names10) {
    add(`${h}/power`, 'power', [names], share(of, 'controllers', site));
    add(`${h}/system`, 'system', [`${h}/power`]);
    add(`${h}/images`, 'images', [`${h}/system`], share(of, 'registry', `${site}-registry`));
  }
  let last = '';
  for (const h of names10.slice(0, 3)) last = add(`${h}/join`, 'control-plane', [`${h}/images`, ...(last ? [last] : [])]);
  const network = add('pod-network', 'pod-network', [add('quorum', 'quorum', [last])]);
  const joins = names10.slice(3).map((h) => add(`${h}/join`, 'worker', [`${h}/images`, network]));
  add('proof', 'proof', [add('inbound', 'inbound', joins)]);
  return out;
}

/** Counts who is at which step: the request of a killed process is cut, and it is at nothing. */
function counter() {
  const at = new Map<string, number>();
  const done = new Map<string, number>();
  let twice = 0;
  const server = createServer((req, res) => {
    const step = req.url ?? '';
    if (at.has(step)) twice++;
    at.set(step, (at.get(step) ?? 0) + 1);
    let here = true;
    const leave = () => {
      if (!here) return;
      here = false;
      const left = (at.get(step) ?? 1) - 1;
      if (left) at.set(step, left);
      else at.delete(step);
    };
    // Real steps wait for machines for minutes; these for 0.5 to 6 s.
    const timer = setTimeout(
      () => {
        leave();
        done.set(step, (done.get(step) ?? 0) + 1);
        res.end('done');
      },
      20 + Math.random() * 160,
    );
    res.on('close', () => {
      clearTimeout(timer);
      leave();
    });
  });
  return { server, done, twice: () => twice };
}

/** Everything at once: whole builds, their turns, their places, and workers that die. */
async function killed(db: DataSource, url: string, estate: ReturnType<typeof asEstate>) {
  const count = counter();
  await new Promise<void>((up) => count.server.listen(0, '127.0.0.1', up));
  const { port } = count.server.address() as AddressInfo;
  const dir = mkdtempSync(join(tmpdir(), 'workers-'));
  const expected = new Set<ChildProcess>();
  const worker = async () => {
    const child = fork(join(import.meta.dirname, 'builds-worker.ts'), [url, String(port), dir], {
      execArgv: ['--import', 'tsx'],
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    const died = once(child, 'exit').then(() => {
      if (!expected.has(child)) throw new Error('a worker ended by itself');
    });
    await Promise.race([once(child, 'message'), died]);
    return child;
  };
  const cpu = async (child: ChildProcess) => {
    child.send('cpu');
    return ((await once(child, 'message')) as [number])[0];
  };
  const steps = stepsOf('s000', estate).length;
  for (let n = 0; n < builds; n++) {
    const site = estate.sites[n % sites]?.name as string;
    await db.manager.insert(Runs, {
      kind: 'change',
      subject: `b${n} 1`,
      exclusive: `Charter b${n}`,
      site,
      title: `Build b${n}`,
      steps: stepsOf(site, estate) as never,
      asked: {},
      state: 'queued',
      admitted: false,
      createdAt: new Date(),
      createdBy: 'praesidor',
      runBy: 'Praesidor',
    });
  }
  const left = async () =>
    Number(
      ((await db.query("select count(*)::int as n from run where state in ('queued', 'running')")) as { n: number }[])[0]?.n,
    );
  const workers: [ChildProcess, ChildProcess] = [await worker(), await worker()];
  const began = performance.now();
  let gone = 0;
  let under = builds;
  // Each is killed again and again, at random moments, as long as there is work.
  const killer = async (k: 0 | 1) => {
    while (under && gone < kills) {
      await new Promise((go) => setTimeout(go, Math.random() * 1500));
      if (!under || gone >= kills) return;
      gone++;
      expected.add(workers[k]);
      workers[k].kill('SIGKILL');
      workers[k] = await worker();
    }
  };
  const killers = [killer(0), killer(1)];
  while ((under = await left()) > 0) await new Promise((go) => setTimeout(go, 250));
  await Promise.all(killers);
  const took = (performance.now() - began) / 1000;
  const states = (await db.query('select state, count(*)::int as n from run group by 1')) as { state: string; n: number }[];
  const missing = builds * steps - count.done.size;
  row(
    `${builds} builds of ${hosts} hosts (${builds * steps} steps) on 2 worker processes, killed ${gone} times`,
    `${states.map((s) => `${s.n} ${s.state}`).join(', ')} in ${took.toFixed(0)} s; ${missing} steps never done, ${count.twice()} done by two at once, ${[...count.done.values()].filter((n) => n > 1).length} done again after a kill`,
    'all done, none lost, none twice at once',
    states.length === 1 && states[0]?.state === 'done' && missing === 0 && count.twice() === 0 && gone === kills,
  );
  // Without kills: what driving costs.
  await db.query("update run set state = 'queued', admitted = false, status = null, upto = 0, summary = null where id % 4 = 0");
  await db.query('delete from run_event; delete from run_log');
  const before = await Promise.all(workers.map(cpu));
  await new Promise<void>((go) => {
    const timer = setInterval(async () => {
      if ((await left()) === 0) {
        clearInterval(timer);
        go();
      }
    }, 200);
  });
  const after = await Promise.all(workers.map(cpu));
  const spent = after.reduce((a, b) => a + b, 0) - before.reduce((a, b) => a + b, 0);
  const each = spent / ((builds / 4) * steps);
  row(
    `processor time of driving a step, with its request, of ${(builds / 4) * steps}`,
    `${each.toFixed(1)} ms in the workers`,
    '≤ 5 ms',
    each <= 5,
  );
  for (const w of workers) {
    expected.add(w);
    w.kill('SIGKILL');
  }
  count.server.close();
  count.server.closeAllConnections();
  rmSync(dir, { recursive: true, force: true });
}

/** A queue that stands still: of a site where nothing has its turn. */
async function queue(
  db: DataSource,
  site: string,
  count: number,
  state: 'queued' | 'done',
  of: ReturnType<typeof asEstate>,
): Promise<void> {
  const steps = stepsOf(site, of);
  const status = { state, begun: new Date().toISOString(), ended: new Date().toISOString(), steps: {} };
  const summary = {
    state,
    of: steps.length,
    done: state === 'done' ? steps.length : 0,
    skipped: 0,
    failed: 0,
    healed: 0,
    ...(state === 'done' ? { begun: status.begun, ended: status.ended } : {}),
  };
  await db.query(
    `with r as (insert into run (kind, subject, site, title, steps, state, admitted, created_at, created_by, run_by, status, summary)
       select 'change', 'w' || n || ' 1', $1, 'Build w' || n, $2::jsonb, $3, false, now(), 'warden', 'warden', $4::jsonb, $5::jsonb from generate_series(1, $6) n returning id, subject)
     insert into build (id, charter, number, kind, moves, revision, plan) select id, split_part(subject, ' ', 1), id, 'build', '{"joins": [], "leaves": [], "stands": []}', 1, '{}' from r`,
    [
      site,
      JSON.stringify(steps),
      state,
      state === 'done' ? JSON.stringify(status) : null,
      state === 'done' ? JSON.stringify(summary) : null,
      count,
    ],
  );
}

/** What whoever begins a build waits for, in a large estate with a long queue; and what everybody else notices. */
async function first() {
  const i = await new Installation().start({ speed: 600, watch: 5 });
  const c = await i.as('warden');
  await prepare(c);
  const db = i.running.ctx.db;
  const hosts = Array.from({ length: 10_000 }, (_, k) => machine(k));
  for (let n = 0; n < hosts.length; n += 2500)
    await c.good('POST', '/api/import', {
      text: hosts
        .slice(n, n + 2500)
        .map(writeDocument)
        .join('---\n'),
    });
  await queue(db, 'bw', 200, 'queued', (await c.estate()) as ReturnType<typeof asEstate>);
  // Nobody of them has a turn: none of them is driven while this is measured.
  await c.good('POST', '/api/edits', {
    why: 'bench',
    edits: [{ op: 'set', kind: 'Site', key: 'bw', path: ['limits'], value: { builds: 1 } }],
  });
  await db.query("update run set admitted = true where id = (select min(id) from run where site = 'bw' and state = 'queued')");
  const saves: number[] = [];
  let ended = false;
  const saver = (async () => {
    while (!ended) {
      const t = performance.now();
      await c.good('POST', '/api/edits', {
        why: 'bench',
        edits: [{ op: 'set', kind: 'Charter', key: 'tern', path: ['notes'], value: String(saves.length) }],
      });
      saves.push(performance.now() - t);
      await new Promise((go) => setTimeout(go, 50));
    }
  })();
  // As long as two rounds of looks at what is outside.
  await new Promise((go) => setTimeout(go, 12_000));
  const before = saves.splice(0);
  const q = await meanwhile(`${i.config.publicUrl}/api/health`, async () => {
    const t = Date.now();
    await c.good('POST', '/api/builds', { charter: 'plover' });
    const answered = Date.now() - t;
    const at = await eventually(async () => {
      const [row] = (await db.query(
        "select min(data->>'at') as at from run_event e join run r on r.id = e.run where r.subject = 'plover 1' and data->>'kind' = 'started'",
      )) as { at: string | null }[];
      return row?.at ?? undefined;
    }, 'the first step');
    return { answered, first: Date.parse(at) - t };
  });
  ended = true;
  await saver;
  row(
    'start of a build to its first step, 10,000 hosts, 200 builds queued',
    `${q.value.first} ms; answered after ${q.value.answered} ms`,
    '≤ 1000 ms',
    q.value.first <= 1000,
  );
  row('health meanwhile', `${q.worst.toFixed(0)} ms at the longest, of ${q.times}`, '≤ 50 ms', q.worst <= 50);
  row(
    'saves of another charter meanwhile',
    `${Math.max(...saves).toFixed(0)} ms at the longest; before ${median(before).toFixed(0)} ms at the median, ${Math.max(...before).toFixed(0)} ms at the longest`,
    'none waits for the build: ≤ 2 × its longest before',
    Math.max(...saves) <= 2 * Math.max(...before),
  );
  await db.query("delete from run where site = 'bw'");
  await queue(db, 'bw', 500, 'done', (await c.estate()) as ReturnType<typeof asEstate>);
  const browser = await openBrowser();
  try {
    await browser.open(i.config.publicUrl);
    await browser.type('Login', 'warden');
    await browser.type('Password', i.password);
    await browser.click('button', 'Sign in');
    await browser.see('Next moves');
    const times: number[] = [];
    for (let n = 0; n < 15; n++) {
      await browser.driver.findElement({ css: 'a[href^="/estate"]' }).click();
      await browser.see('Next moves');
      times.push(
        await browser.driver.executeAsyncScript<number>(`
          const done = arguments[0], t = performance.now();
          document.querySelector('nav a[href^="/builds"], header a[href^="/builds"]').click();
          const look = () => document.querySelectorAll('table[aria-label="Builds"] tbody tr').length >= 100 && document.body.textContent.includes('more of 5') ? requestAnimationFrame(() => setTimeout(() => done(performance.now() - t))) : requestAnimationFrame(look);
          look();`),
      );
    }
    row(
      'builds page with 500 builds, from the click until it is drawn',
      `${median(times).toFixed(0)} ms, median of ${times.length}; the first, which brings its code, ${times[0]?.toFixed(0)} ms`,
      '≤ 300 ms',
      median(times) <= 300,
    );
  } finally {
    await browser.close();
  }
  await i.stop();
}

/** Many builds at once, on several workers that die. */
export async function buildsAtOnce() {
  const database = await privateDatabase();
  const db = await openDatabase(database.url);
  const docs = largeEstate({ hosts: builds * hosts, sites });
  for (const kind of Object.keys(tableOf) as (keyof typeof tableOf)[]) {
    const own = docs.filter((d: Doc) => d.kind === kind);
    if (own.length)
      await db.query(
        `insert into ${tableOf[kind]} (key, doc, updated_by) select * , 'bench' from unnest($1::text[], $2::jsonb[]) on conflict do nothing`,
        [own.map((d) => keyOf(d)), own.map((d) => JSON.stringify(d))],
      );
  }
  await killed(db, database.url, asEstate(docs));
  await db.destroy();
  await database.drop();
  await first();
}
