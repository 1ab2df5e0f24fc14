import { createHash } from 'node:crypto';
import { parse } from 'yaml';
import type { ChangePlan } from '@praesidor/core/changes';
import { type KubeAt, type KubeList, type KubeNode, kube } from '@praesidor/protocols/kube';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { buildOf, builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

const i = new Installation();
let c: Client;
const set = (why: string, ...fields: [path: (string | number)[], value: unknown][]) =>
  c.good('POST', '/api/edits', {
    why,
    edits: fields.map(([path, value]) => ({ op: 'set', kind: 'Charter', key: 'plover', path, value })),
  });
const due = async () => (await c.good<{ due: ChangePlan | null }>('GET', '/api/charters/plover/change')).due;
const begin = (kind: string) => c.call<{ number: number }>('POST', '/api/builds', { charter: 'plover', kind });
const host = async (name: string) => (await c.estate()).hosts.find((h) => h.name === name);
const serving = async () =>
  (await c.estate()).hosts.filter((h) => h.held?.charter === 'plover' && h.state === 'serving').map((h) => h.name);
const logOf = async (number: number, step: string) =>
  (
    await c.good<{ lines: { line: string }[] }>('GET', `/api/builds/plover/${number}/log?step=${encodeURIComponent(step)}`)
  ).lines.map((l) => l.line);

/** The API of the cluster, as whoever has its kubeconfig reaches it. */
async function cluster(): Promise<KubeAt> {
  const r = await fetch(`${i.config.publicUrl}/api/charters/plover/kubeconfig`, { headers: { cookie: c.cookie } });
  const k = parse(await r.text());
  const text = (data: string) => Buffer.from(data, 'base64').toString();
  const { user } = k.users[0];
  return {
    dialer: i.running.ctx.dialer,
    host: new URL(k.clusters[0].cluster.server).hostname,
    address: '10.62.8.20',
    port: Number(new URL(k.clusters[0].cluster.server).port),
    ca: text(k.clusters[0].cluster['certificate-authority-data']),
    certificate: text(user['client-certificate-data']),
    key: text(user['client-key-data']),
  };
}
const give = async (path: string, object: object) =>
  kube(await cluster(), path, { method: 'PATCH', contentType: 'application/apply-patch+yaml', body: object });
const podsOn = async (node: string) =>
  (
    (await kube<KubeList<{ metadata: { name: string; ownerReferences: { kind: string }[] } }>>(
      await cluster(),
      `/api/v1/pods?fieldSelector=spec.nodeName%3D${node}`,
    )) as KubeList<{ metadata: { name: string; ownerReferences: { kind: string }[] } }>
  ).items
    .filter((p) => p.metadata.ownerReferences[0]?.kind !== 'DaemonSet')
    .map((p) => p.metadata.name);
const nodes = async () =>
  ((await kube<KubeList<KubeNode>>(await cluster(), '/api/v1/nodes')) as KubeList<KubeNode>).items.map((n) => n.metadata.name);

describe('the hosts of a cluster that stands', () => {
  let first: string[] = [];
  let added = '';
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    await prepare(c);
    await set('small first', [['workers', 'count'], 1]);
    expect((await due())?.kind).toBe('build');
    await begin('build');
    expect((await builtOrBroken(c)).status.state).toBe('done');
    first = await serving();
    expect(first).toHaveLength(4);
  });
  afterAll(() => i.stop());

  it('stay as they are while nothing is due', async () => {
    expect(await due()).toBeNull();
    const a = await begin('add-hosts');
    expect([a.status, a.body.message]).toEqual([409, 'plover stands as planned: there is nothing to add hosts.']);
  });

  it('one is added: prepared, joined, proved, and nobody else is touched', async () => {
    await set('one more', [['workers', 'count'], 2]);
    const plan = await due();
    expect([plan?.kind, plan?.leaves, plan?.joins.length]).toEqual(['add-hosts', [], 1]);
    added = plan?.joins[0] ?? '';
    expect(plan?.title).toBe(`Add ${added} to plover`);
    // What somebody saw is begun, and nothing else.
    expect((await begin('build')).body.message).toBe(`What is due for plover is “Add ${added} to plover” by now, not “Build”.`);
    const starts = new Map([...i.world.machines].map(([name, m]) => [name, m.log.length]));
    expect((await begin('add-hosts')).body.number).toBe(2);
    // A second person who begins it in the same moment is told who was first.
    expect((await begin('add-hosts')).body.message).toContain(
      `“Add ${added} to plover” is under way already: number 2 of plover`,
    );
    const b = await builtOrBroken(c, 2);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.proof?.find((p) => p.what === 'nodes ready')?.found).toBe('5 of 5');
    // Pulls are counted of those who came.
    expect(b.proof?.find((p) => p.what === 'images pulled from the mirror')?.planned).toMatch(/^1\d of 1\d$/);
    expect((await serving()).sort()).toEqual([...first, added].sort());
    for (const name of first) expect(i.world.machines.get(name)?.log.length, name).toBe(starts.get(name));
    expect(await due()).toBeNull();
  });

  it('one that died is replaced: nobody waits for its pods, and another takes its place', async () => {
    const [dead = ''] = (await c.estate()).hosts
      .filter((h) => h.held?.charter === 'plover' && h.held.role === 'worker')
      .map((h) => h.name);
    i.world.machines.get(dead)?.powerOff();
    await set('it died', [['except'], [...((await c.estate()).charters.find((x) => x.name === 'plover')?.except ?? []), dead]]);
    const plan = await due();
    expect(plan?.kind).toBe('replace-hosts');
    const fresh = plan?.joins[0] ?? '';
    expect(plan?.title).toBe(`Replace ${dead} of plover by ${fresh}`);
    // Its controller died with it: nobody here can see that it is off.
    i.plant('bmc-silent', dead);
    await begin('replace-hosts');
    const stuck = await eventually(async () => {
      const step = (await buildOf(c, 3)).status.steps[`${dead}/leave`];
      return step?.state === 'failed' && step;
    }, 'it cannot be switched off');
    expect([stuck.code, stuck.text]).toEqual(['not-off', expect.stringContaining(`${dead} cannot be switched off from here`)]);
    expect(await nodes()).toContain(dead);
    // Somebody says so who saw to it, by the name of a host of this change.
    const goOn = (off: string[]) => c.call('POST', '/api/builds/plover/3/resume', { off });
    await builtOrBroken(c, 3);
    expect((await goOn([first[0] ?? ''])).status).toBe(422);
    expect((await goOn([dead])).status).toBe(200);
    const said = `resumed a build and said that ${dead} is off`;
    expect(await i.query('select count(*)::int as n from audit where act = $1', [said])).toEqual([{ n: 1 }]);
    const b = await eventually(async () => {
      const now = await buildOf(c, 3);
      return now.status.state === 'done' && now;
    }, 'it is done');
    i.world.faults.lift({ kind: 'bmc-silent', subject: dead });
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.status.steps[`${dead}/drain`]?.text).toContain('does not answer');
    expect(await nodes()).toContain(fresh);
    expect(await nodes()).not.toContain(dead);
    expect((await host(fresh))?.state).toBe('serving');
  });

  it('one is removed when its pods may go: a budget holds it until it allows it, and says so', async () => {
    const labels = { app: 'tides' };
    await give('/apis/apps/v1/namespaces/default/deployments/tides', {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'tides', namespace: 'default' },
      spec: {
        replicas: 3,
        selector: { matchLabels: labels },
        template: {
          metadata: { labels },
          spec: { containers: [{ name: 'tides', image: 'images.upstream.example/core/pause:1.34.2' }] },
        },
      },
    });
    const budget = '/apis/policy/v1/namespaces/default/poddisruptionbudgets/tides';
    await give(budget, {
      apiVersion: 'policy/v1',
      kind: 'PodDisruptionBudget',
      metadata: { name: 'tides', namespace: 'default' },
      spec: { minAvailable: 3, selector: { matchLabels: labels } },
    });
    const leaves = await eventually(async () => {
      for (const h of await serving()) if ((await podsOn(h)).some((p) => p.startsWith('tides'))) return h;
      return undefined;
    }, 'a worker has one of its pods');
    const except = (await c.estate()).charters.find((x) => x.name === 'plover')?.except ?? [];
    await set('one fewer', [['workers', 'count'], 1], [['except'], [...except, leaves]]);
    const plan = await due();
    expect([plan?.kind, plan?.joins, plan?.leaves]).toEqual(['remove-hosts', [], [leaves]]);
    expect(plan?.point?.step).toBe(`${leaves}/leave`);
    expect((await begin('remove-hosts')).body.number).toBe(4);
    const said = 'The disruption budget tides needs 3 healthy pods and has 3 currently';
    let log: string[] = [];
    await eventually(
      async () => {
        log = await logOf(4, `${leaves}/drain`);
        return log.some((l) => l.endsWith(said));
      },
      () => `the log names the budget; it is ${log.join('\n')}`,
    );
    expect(i.world.machines.get(leaves)?.power).toBe('On');
    expect((await host(leaves))?.state).toBe('serving');
    await kube(await cluster(), budget, { method: 'DELETE' });
    const b = await builtOrBroken(c, 4);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.find((p) => p.what === 'hosts that left')).toMatchObject({ good: true, found: 'none in the API' });
    expect(b.status.steps[`${leaves}/drain`]?.text).toMatch(/^\d+ pods? went elsewhere$/);
    expect(i.world.machines.get(leaves)?.power).toBe('Off');
    expect(await nodes()).not.toContain(leaves);
    const after = await host(leaves);
    expect([after?.state, after?.held]).toEqual(['resting', undefined]);
  });

  it('a member of the control plane is replaced: etcd backed up, the old one out before the new one joins', async () => {
    const e = await c.estate();
    // What was taken out rests; wiped, it is free again.
    const resting = e.hosts.filter((h) => h.state === 'resting').map((h) => h.name);
    const { work } = await c.good<{ work?: { id: number } }>('POST', '/api/hosts/works', {
      kind: 'wipe',
      hosts: resting,
      asked: {},
    });
    await eventually(async () => {
      const { works } = await c.good<{ works: { id: number; state: string }[] }>('GET', '/api/hosts/works');
      return works.find((w) => w.id === work?.id)?.state === 'done';
    }, 'they are wiped');
    const except = e.charters.find((x) => x.name === 'plover')?.except ?? [];
    const goes = e.hosts.find((h) => h.held?.charter === 'plover' && h.held.role === 'control-plane')?.name ?? '';
    await set('its turn', [['except'], [...except.filter((h) => !resting.includes(h)), goes]]);
    const plan = await due();
    const comes = plan?.joins[0] ?? '';
    expect([plan?.kind, plan?.leaves, plan?.refused]).toEqual(['replace-hosts', [goes], []]);
    // A workload that is written down in etcd is there afterwards.
    await give('/api/v1/namespaces/default/configmaps/tide-table', {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'tide-table', namespace: 'default' },
      data: { high: '04:12' },
    });
    expect((await begin('replace-hosts')).body.number).toBe(5);
    const b = await builtOrBroken(c, 5);
    expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
    expect(b.proof?.filter((p) => !p.good)).toEqual([]);
    expect(b.status.steps[`${goes}/member`]?.text).toBe('taken out: 2 of 3 members are left');
    const at = (step: string, when: 'started' | 'ended') => Date.parse(b.status.steps[step]?.[when] ?? '');
    expect(at('backup', 'ended')).toBeLessThanOrEqual(at(`${goes}/drain`, 'started'));
    expect(at(`${goes}/member`, 'ended')).toBeLessThanOrEqual(at(`${comes}/join`, 'started'));
    expect(b.proof?.find((p) => p.what === 'members behind the API address')?.found.split(', ')).toHaveLength(3);
    expect(await nodes()).toContain(comes);
    const kept = await kube<{ data: { high: string } }>(await cluster(), '/api/v1/namespaces/default/configmaps/tide-table');
    expect(kept?.data.high).toBe('04:12');
    // The backup is what etcd gave, byte by byte, with its own checksum at its end.
    const { backups } = await c.good<{ backups: { id: number; bytes: number; sha256: string; number: number }[] }>(
      'GET',
      '/api/charters/plover/etcd-backups',
    );
    expect(backups.map((x) => x.number)).toEqual([5]);
    const r = await fetch(`${i.config.publicUrl}/api/charters/plover/etcd-backups/${backups[0]?.id}/snapshot.db`, {
      headers: { cookie: c.cookie },
    });
    const bytes = Buffer.from(await r.arrayBuffer());
    const sha = (x: Buffer) => createHash('sha256').update(x).digest('hex');
    expect([bytes.length, sha(bytes)]).toEqual([backups[0]?.bytes, backups[0]?.sha256]);
    expect(sha(bytes.subarray(0, -32))).toBe(bytes.subarray(-32).toString('hex'));
    expect(bytes.includes('tide-table')).toBe(true);
    // In the database it is sealed.
    const stored = await i.query<{ sealed: Buffer }>('select sealed from etcd_backup_piece');
    expect(stored.every((p) => !p.sealed.includes('tide-table'))).toBe(true);
    expect(
      (await (await i.as('planner')).call('GET', `/api/charters/plover/etcd-backups/${backups[0]?.id}/snapshot.db`)).status,
    ).toBe(403);
  });
});
