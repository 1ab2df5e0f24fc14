import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ChangePlan } from '@praesidor/core/changes';
import { sshKeys } from '@praesidor/protocols/ssh';
import { issue, secretOf } from '../src/areas/clusters/pki.ts';
import { ClusterSecrets } from '../src/db/tables.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

/** New files for hosts that run: put there over SSH, in force without a restart, and still there after a power cut. */
const i = new Installation();
let c: Client;
let p: Plover;
let hosts: string[] = [];
let worker = '';

const machine = (host: string) => {
  const m = i.world.machines.get(host);
  if (!m) throw new Error(`there is no machine ${host}`);
  return m;
};
const shown = (host: string) => machine(host).installed?.files['/etc/kubernetes/pki/kubelet.crt'] ?? '';
const starts = () => hosts.map((h) => machine(h).bootId);
const failed = async (number: number) => {
  const b = await builtOrBroken(c, number);
  return Object.entries(b.status.steps)
    .filter(([, s]) => s.state === 'failed')
    .map(([id, s]) => ({ id, text: s.text ?? '', remedy: s.remedy ?? '' }));
};
const resume = (number: number) => c.good('POST', `/api/builds/plover/${number}/resume`, {});
const ready = async () => {
  const list = await p.ask<{
    items: { metadata: { name: string }; status: { conditions: { type: string; status: string }[] } }[];
  }>('/api/v1/nodes');
  return (list?.items ?? [])
    .filter((n) => n.status.conditions.some((x) => x.type === 'Ready' && x.status === 'True'))
    .map((n) => n.metadata.name)
    .sort();
};

beforeAll(async () => {
  await i.start();
  c = await i.as('warden');
  p = new Plover(i, c);
  await prepare(c);
  await p.set('small', [['workers', 'count'], 1]);
  await p.begin('build');
  await p.done(1);
  // What is silent is given up sooner than while it was built.
  i.running.ctx.config.timeoutSeconds = 3;
  const serving = await p.serving();
  hosts = serving.map((h) => h.name).sort();
  worker = serving.find((h) => h.held?.role === 'worker')?.name ?? '';
});
afterAll(() => i.stop());

describe('certificates of hosts that run', () => {
  it('are renewed without a restart and without a drain, one member after the other', async () => {
    const [before, old] = [starts(), hosts.map(shown)];
    const { due: change } = await c.good<{ due: ChangePlan }>('GET', '/api/charters/plover/change?kind=renew');
    expect(change.away).toBe('nothing: pods run on; API server and etcd are restarted on one host after the other');
    expect((await p.begin('renew')).body.number).toBe(2);
    const b = await p.done(2);
    expect(new Set(b.steps.map((s) => s.kind))).toEqual(
      new Set(['preflight', 'names', 'backup', 'files', 'quorum', 'inbound', 'proof']),
    );
    expect(b.proof?.filter((x) => !x.good)).toEqual([]);
    expect(starts()).toEqual(before);
    for (const [n, h] of hosts.entries()) expect(shown(h) !== old[n] && shown(h).startsWith('-----BEGIN'), h).toBe(true);
    const times = b.steps.filter((s) => s.kind === 'files' && s.host !== worker).map((s) => b.status.steps[s.id]);
    const order = times.sort((x, y) => (x?.started ?? '').localeCompare(y?.started ?? ''));
    for (const [n, s] of order.entries())
      if (n) expect(Date.parse(s?.started ?? '')).toBeGreaterThanOrEqual(Date.parse(order[n - 1]?.ended ?? ''));
    expect(await ready()).toEqual(hosts);
    expect(await p.due()).toBeNull();
  });

  it('are still there after a power cut: the host starts from them, and asks nobody', async () => {
    for (const h of [worker, hosts.find((x) => x !== worker) ?? '']) {
      const has = shown(h);
      machine(h).powerOff();
      machine(h).powerOn();
      await eventually(async () => machine(h).stage === 'joined', `${h} has joined again`);
      expect(shown(h)).toBe(has);
    }
    await eventually(async () => (await ready()).length === hosts.length, 'all are ready');
  });

  it('that have ended are renewed all the same: nobody decides anything, and the API is trusted again', async () => {
    const rows = await i.running.ctx.db.manager.findBy(ClusterSecrets, { charter: 'plover' });
    const have = new Map(rows.map((r) => [r.name, secretOf(i.config, 'plover', r)]));
    const { plan } = await c.good<{ plan: { certificates: { name: string }[] } }>('GET', '/api/builds/plover/1');
    const planned = plan.certificates.find((x) => x.name === 'apiserver') as never as Parameters<typeof issue>[0];
    for (const h of hosts.filter((x) => x !== worker)) {
      const { cert, key } = await issue({ ...planned, days: -1 }, have);
      Object.assign(machine(h).installed?.files ?? {}, {
        '/etc/kubernetes/pki/apiserver.crt': cert,
        '/etc/kubernetes/pki/apiserver.key': key,
      });
    }
    await expect(ready()).rejects.toThrow(/certificate/);
    const before = starts();
    expect((await p.begin('renew')).body.number).toBe(3);
    await p.done(3);
    expect([starts(), await ready()]).toEqual([before, hosts]);
  });
});

describe('a host that takes no files', () => {
  it('because it still puts those of a server that has gone: it is waited for, and given up where that takes too long', async () => {
    const before = shown(worker);
    machine(worker).putting = true;
    expect((await p.begin('renew')).body.number).toBe(4);
    const [broke] = await failed(4);
    expect([broke?.id, broke?.text]).toEqual([
      `${worker}/files`,
      `${worker} did not take them: files are being put on this host already`,
    ]);
    await resume(4);
    const lines = async () =>
      (await i.query<{ n: number }>("select count(*)::int as n from run_log where line like '%; waits for it'"))[0]?.n ?? 0;
    await eventually(async () => (await lines()) > 1, 'it to be waited for once more');
    expect(shown(worker)).toBe(before);
    machine(worker).putting = false;
    await p.done(4);
    expect(shown(worker)).not.toBe(before);
  });

  it('because nothing answers at its port: said before anything is touched, with the port that is to be opened', async () => {
    const [first = ''] = hosts.filter((h) => h !== worker);
    const before = shown(first);
    i.plant('ssh-silent', first);
    expect((await p.begin('renew')).body.number).toBe(5);
    const [broke, ...more] = await failed(5);
    expect([broke?.id, more]).toEqual([`${first}/files`, []]);
    expect(broke?.text).toContain(`${first}:22: it does not answer`);
    expect(broke?.remedy).toContain('Open TCP port 22');
    expect(shown(first)).toBe(before);
    i.lift('ssh-silent', first);
    await resume(5);
    await p.done(5);
    expect(shown(first)).not.toBe(before);
  });

  it('because its account was changed by hand: it is let alone, and goes on when its account is what it was', async () => {
    const login = machine(worker).installed?.login;
    if (!login) throw new Error('nobody may log in');
    const [was, before] = [structuredClone(login.accounts), shown(worker)];
    const other = (await sshKeys()).public;
    for (const a of login.accounts) a.keys = a.keys.map((k) => k.replace(/ssh-ed25519 \S+/, other));
    expect((await p.begin('renew')).body.number).toBe(6);
    const [broke, ...more] = await failed(6);
    expect([broke?.id, more]).toEqual([`${worker}/files`, []]);
    expect(broke?.text).toContain('does not let the account praesidor in');
    expect(broke?.remedy).toContain('changed by hand');
    expect(shown(worker)).toBe(before);
    for (const [n, a] of login.accounts.entries()) a.keys = was[n]?.keys ?? [];
    await resume(6);
    await p.done(6);
    expect(shown(worker)).not.toBe(before);
  });

  it('because its charter says so is started anew, as before: drained, and back with the new ones', async () => {
    await p.set('closed', [['certificates'], { renewed: 'restart' }]);
    const due = (await c.good<{ due: ChangePlan }>('GET', '/api/charters/plover/change?kind=renew')).due;
    const kinds = new Set(due.steps.map((s) => s.kind));
    expect([kinds.has('files'), kinds.has('drain'), kinds.has('power')]).toEqual([false, true, true]);
    // The account goes with the next files of the hosts.
    expect((await p.due())?.kind).toBe('apply');
  });
});
