import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { NewToken } from '@praesidor/contract';
import { checkRecord, seal } from '../apps/server/src/record/seal.ts';
import { Installation } from '../apps/server/test/installation.ts';
import { median, row } from './measure.ts';

const at = (list: readonly number[], share: number) =>
  [...list].sort((a, b) => a - b)[Math.floor(share * (list.length - 1))] ?? 0;

/** A pipeline with a token, as many requests a second as it is allowed; the record with a million acts; a race for one allowance. */
export async function pipeline() {
  const i = await new Installation().start({
    settings: {
      checkAnswers: false,
      tokenRates: { reads: { perSecond: 5000, atOnce: 5000 }, writes: { perSecond: 5000, atOnce: 5000 } },
    },
  });
  try {
    const warden = await i.as('warden');
    const { token } = await warden.good<NewToken>('POST', '/api/me/tokens', {
      name: 'nightly',
      acts: ['plan.read', 'plan.edit', 'record.read'],
      days: 1,
    });
    await steady(i, token);
    await race(i);
    await million(i);
  } finally {
    await i.stop();
  }
}

/** 500 reads and 100 writes a second for ten seconds, each sent when it is due whether or not others were answered; by a process of its own, as a pipeline is. */
async function steady(i: Installation, token: string) {
  const asked = JSON.stringify({ url: i.config.publicUrl, token, seconds: 10, reads: 500, writes: 100 });
  const { stdout } = await promisify(execFile)(
    process.execPath,
    ['--import', 'tsx', join(import.meta.dirname, 'pipeline-client.ts'), asked],
    {
      maxBuffer: 64_000_000,
    },
  );
  const told = JSON.parse(stdout) as { reads: number[]; writes: number[]; errors: number; seconds: number };
  for (const [what, rate] of [
    ['reads', 500],
    ['writes', 100],
  ] as const) {
    const p99 = at(told[what], 0.99);
    const perSecond = told[what].length / told.seconds;
    row(
      `${rate} ${what} a second with a token`,
      `${perSecond.toFixed(0)} a second, half in ${median(told[what]).toFixed(0)} ms, 99 of 100 in ${p99.toFixed(0)} ms, ${told.errors} errors`,
      '99 of 100 ≤ 250 ms, no error',
      p99 <= 250 && told.errors === 0 && perSecond >= rate * 0.95,
    );
  }
}

/** Two hundred charters that take of one allowance at the same moment. */
async function race(i: Installation) {
  const warden = await i.as('warden');
  const { doc } = await warden.good<{ doc: Record<string, unknown> }>('GET', '/api/charters/plover');
  const { api: _, inbound: __, servicePool: ___, nodePorts: ____, ...rest } = doc;
  await warden.good('POST', '/api/edits', {
    why: 'room',
    edits: [
      {
        op: 'put',
        doc: {
          apiVersion: 'praesidor/v1',
          kind: 'Network',
          name: 'lr-wide',
          site: 'lr',
          prefix: '10.62.64.0/22',
          gateway: '10.62.64.1',
          purpose: 'machine',
          vlan: 64,
        },
      },
      { op: 'put', doc: { apiVersion: 'praesidor/v1', kind: 'Team', name: 'radar', allowance: { clusters: 30 } } },
    ],
  });
  const began = performance.now();
  const answers = await Promise.all(
    Array.from({ length: 200 }, (_x, n) =>
      warden.call<{ held: { notHeld?: string } }>('PUT', `/api/charters/race-${n}`, {
        doc: { ...rest, machineNetwork: 'lr-wide', name: `race-${n}`, team: 'radar' },
        version: 0,
      }),
    ),
  );
  const took = performance.now() - began;
  const held = answers.filter((a) => a.status === 200 && !a.body.held.notHeld).length;
  const saved = answers.filter((a) => a.status === 200).length;
  row(
    '200 charters at once for an allowance of 30 clusters',
    `${held} held, ${saved} saved, ${(took / 1000).toFixed(1)} s`,
    '30 held, none lost',
    held === 30 && saved === 200,
  );
}

async function million(i: Installation) {
  const warden = await i.as('warden');
  await i.query(
    `insert into audit (at, who, act, subject, detail, token, address)
     select now() - (1000000 - n) * interval '30 seconds', 'person-' || n % 40, (array['saved the charter', 'reserved', 'measured what a build needs', 'began a build', 'signed in'])[1 + n % 5],
       case when n % 100000 = 7 then 'the needle ' || n else 'cluster-' || n % 2000 end, jsonb_build_object('number', n), case when n % 50 = 0 then 'nightly' end, '10.40.8.' || n % 250
     from generate_series(1, 1000000) n`,
  );
  await i.query('analyze audit');
  const ask = async (query: string) => {
    const times: number[] = [];
    for (let n = 0; n < 7; n++) {
      const began = performance.now();
      await warden.good('GET', `/api/acts?limit=200${query}`);
      times.push(performance.now() - began);
    }
    return median(times.slice(1));
  };
  const pages = [await ask(''), await ask('&before=500000'), await ask('&before=300')];
  row(
    'a page of the record of a million acts',
    `${Math.max(...pages).toFixed(0)} ms, the slowest of the newest, the middle and the oldest`,
    '≤ 100 ms',
    Math.max(...pages) <= 100,
  );
  const filters = [
    'who=person-7',
    'who=nobody',
    'token=nightly',
    'text=charter',
    'text=needle',
    'text=cluster-1999',
    'text=zzz',
    'text=no such thing',
    'who=person-3&text=needle',
    'text=clu&before=900',
    'from=2026-01-01T00:00:00Z&to=2026-01-01T01:00:00Z',
    'who=person-7&token=nightly&text=signed',
  ];
  const took: [string, number][] = [];
  for (const f of filters) took.push([f, await ask(`&${f}`)]);
  const slowest = took.sort((a, b) => b[1] - a[1])[0] as [string, number];
  row(
    'a filter over a million acts',
    `${slowest[1].toFixed(0)} ms, the slowest of ${filters.length} (${slowest[0]})`,
    '≤ 300 ms',
    slowest[1] <= 300,
  );
  const db = i.running.ctx.db;
  const began = performance.now();
  const sealed = await seal(db);
  const mid = performance.now();
  const broken = await checkRecord(db);
  row(
    'a million acts sealed, and held against their seals',
    `${sealed} in ${((mid - began) / 1000).toFixed(1)} s, checked in ${((performance.now() - mid) / 1000).toFixed(1)} s, ${broken.length} broken`,
    'shown',
    broken.length === 0,
  );
}
