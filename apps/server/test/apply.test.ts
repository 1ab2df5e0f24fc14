import { X509Certificate } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { renewClusters } from '../src/areas/builds/by-itself.ts';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';
import { Plover } from './plover.ts';

const i = new Installation();
let c: Client;
let p: Plover;
/** The files of a machine, as its system has them. */
const files = (host: string) => i.world.machines.get(host)?.installed?.files ?? {};
const kubelet = (host: string) => files(host)['/etc/kubernetes/kubelet.yaml'] ?? '';

describe('an edit to a cluster that stands', () => {
  beforeAll(async () => {
    await i.start();
    c = await i.as('warden');
    p = new Plover(i, c);
    await prepare(c);
    await p.set('small', [['workers', 'count'], 1]);
    await p.begin('build');
    await p.done(1);
  });
  afterAll(() => i.stop());

  it('is not there at first: what it was built with is what would be written', async () => {
    expect(await p.due()).toBeNull();
  });

  it('of what its API is given is given to it, and no host is touched', async () => {
    await p.set('a class', [
      ['storage'],
      [{ name: 'shore', kind: 'nfs', server: '10.62.8.4', path: '/export/shore', reclaim: 'keep', standard: true }],
    ]);
    const due = await p.due();
    expect([due?.kind, due?.joins, due?.refused]).toEqual(['apply', [], []]);
    const starts = () => [...i.world.machines.values()].map((m) => m.log.length);
    const before = starts();
    expect((await p.begin('apply')).status).toBe(201);
    // Its hosts have no NFS client yet: somebody knows that nobody uses the class before they have, and says so.
    await eventually(async () => (await buildOf(c, 2)).status.state === 'failed', 'the first step to say what is lacking');
    expect((await buildOf(c, 2)).status.steps.preflight?.text).toContain('no NFS client');
    const on = (act: string, body: object = {}) => c.call('POST', `/api/builds/plover/2/${act}`, body);
    expect((await on('skip', { step: 'preflight' })).body.message).toContain('for a reason');
    expect((await on('pause', { step: 'preflight' })).status).toBe(422);
    expect((await on('skip', { step: 'preflight', reason: 'the client comes with the next system' })).status).toBe(200);
    await on('resume');
    await p.done(2);
    expect(starts()).toEqual(before);
    const volumes = async () => JSON.stringify(await p.ask('/api/v1/persistentvolumes'));
    expect(await volumes()).toContain('/export/shore');
    expect(await p.due()).toBeNull();
    // What is not given any more is taken away.
    await p.set('none', [['storage'], []]);
    expect((await p.begin('apply')).body.number).toBe(3);
    await p.done(3);
    expect(await volumes()).not.toContain('/export/shore');
    expect(await p.due()).toBeNull();
  });

  it('of its hosts is brought to them one after the other; what is on their disks stays', async () => {
    const hosts = (await p.serving()).map((h) => h.name);
    const { doc } = await c.good<{ doc: { pods: object } }>('GET', '/api/charters/plover');
    await p.set('fewer pods', [['pods'], { ...doc.pods, most: 99 }]);
    const due = await p.due();
    expect([due?.kind, due?.title, due?.joins.length]).toEqual(['apply', 'Apply changes to 4 hosts of plover', 4]);
    expect(due?.rows.some((r) => /on 4 hosts/.test(r.how))).toBe(true);
    for (const h of hosts) expect(kubelet(h).includes('maxPods: 99'), h).toBe(false);
    await p.begin('apply');
    const b = await p.done(4);
    expect(b.proof?.filter((x) => !x.good)).toEqual([]);
    for (const h of hosts) expect(kubelet(h).includes('maxPods: 99'), h).toBe(true);
    expect(await p.due()).toBeNull();
    expect(new Set((await p.serving()).map((h) => h.held?.installed)).size).toBe(1);
  });

  it('of what its pods have already is refused, with the field', async () => {
    const { doc } = await c.good<{ doc: { pods: object } }>('GET', '/api/charters/plover');
    await p.set('other pods', [['pods'], { ...doc.pods, range: '10.140.0.0/16' }]);
    expect((await p.due())?.refused[0]).toContain('pods.range');
    expect((await p.begin('apply')).status).toBe(409);
    await p.set('back', [['pods'], doc.pods]);
    expect(await p.due()).toBeNull();
  });

  it('its certificates are renewed by themselves in good time, and every host shows the new ones', async () => {
    const end = async () => {
      const rows = await i.query<{ ends: string }>(
        "select distinct doc->'held'->>'certificates' as ends from host where doc->'held'->>'charter' = 'plover'",
      );
      return rows.map((r) => r.ends);
    };
    const [before] = await end();
    expect(Date.parse(before ?? '')).toBeGreaterThan(Date.now() + 300 * 86_400_000);
    // Nobody asked for it, and it is not time.
    await p.set('by themselves', [['certificates'], { byItself: true }]);
    await renewClusters(i.running.ctx);
    expect(await p.due()).toBeNull();
    // As the hosts of a cluster that has stood for most of a year have it.
    const soon = new Date(Date.now() + 20 * 86_400_000).toISOString();
    await i.query(
      "update host set doc = jsonb_set(doc, '{held,certificates}', to_jsonb($1::text)), version = version + 1 where doc->'held'->>'charter' = 'plover'",
      [soon],
    );
    await p.set('told', [['notes'], 'soon']);
    expect((await p.due())?.kind).toBe('renew');
    const worker = (await p.serving()).find((h) => h.held?.role === 'worker')?.name ?? '';
    const shown = () => [files(worker)['/etc/kubernetes/pki/kubelet.crt'] ?? ''];
    const old = new Set(shown());
    await renewClusters(i.running.ctx);
    await p.done(5);
    const { builds } = await c.good<{ builds: { kind: string; title: string }[] }>('GET', '/api/builds?charter=plover');
    expect(builds[0]).toMatchObject({ kind: 'renew', title: 'Renew certificates of plover' });
    const acts = await c.good<{ acts: { act: string; who: string }[] }>('GET', '/api/acts?limit=50');
    expect(acts.acts).toContainEqual(expect.objectContaining({ act: 'began a change', who: 'Praesidor' }));
    expect(Date.parse((await end())[0] ?? '')).toBeGreaterThan(Date.now() + 300 * 86_400_000);
    expect(shown().some((pem) => !old.has(pem))).toBe(true);
    for (const pem of shown()) expect(new X509Certificate(pem).validTo).toBeTruthy();
    expect(await p.due()).toBeNull();
  });
});
