import { X509Certificate } from 'node:crypto';
import net from 'node:net';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Plan, PlannedCertificate } from '@praesidor/core/charter';
import { mapAddress } from '@praesidor/protocols/dial';
import { renewClusters } from '../src/areas/builds/by-itself.ts';
import { issue, keepSecret } from '../src/areas/clusters/pki.ts';
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

  it('and its inbound address outlives whoever is killed while it measures it', async () => {
    const at = mapAddress(i.config.addressMap, '10.62.8.21', 443);
    const connects = () =>
      new Promise<net.Socket>((done, fail) => {
        const s = net.connect(at.port, at.host, () => done(s));
        s.once('error', fail);
      });
    for (let n = 0; n < 5; n++) {
      const s = await connects();
      // As the kernel ends what a killed process had open with bytes unread: a reset (RFC 9293 3.10.4).
      s.resetAndDestroy();
    }
    (await connects()).destroy();
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
        "select distinct doc->'held'->>'certificates' as ends from host_state where doc->'held'->>'charter' = 'plover'",
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
      "update host_state set doc = jsonb_set(doc, '{held,certificates}', to_jsonb($1::text)), version = version + 1 where doc->'held'->>'charter' = 'plover'",
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

  it('another authority is trusted first, then issues, then is trusted alone; whoever holds a kubeconfig has time to take the next one', async () => {
    const hosts = (await p.serving()).map((h) => h.name);
    const member = (await p.serving()).find((h) => h.held?.role === 'control-plane')?.name ?? '';
    const pki = (host: string, name: string) => files(host)[`/etc/kubernetes/pki/${name}`] ?? '';
    const certificates = (pem: string) => pem.match(/-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g) ?? [];
    const [old = ''] = certificates(pki(member, 'ca.crt'));
    const begin = async (n: number) => {
      expect((await p.begin('authority')).body.number).toBe(n);
      await p.done(n);
    };
    expect(await p.due()).toBeNull();
    const first = await p.kubeconfig();
    await begin(6);
    // Both are trusted everywhere; everything is issued by the one that stood.
    const trusts = certificates(pki(member, 'ca.crt'));
    const next = trusts.find((t) => t !== old) ?? '';
    for (const h of hosts) expect(certificates(pki(h, 'ca.crt')), h).toEqual([old, next]);
    for (const ca of ['front-proxy-ca.crt', 'etcd/ca.crt']) expect(certificates(pki(member, ca)), ca).toHaveLength(2);
    expect(certificates(pki(member, 'signing-ca.crt'))).toEqual([old]);
    const signedBy = (host: string, name: string, ca: string) =>
      new X509Certificate(pki(host, name)).verify(new X509Certificate(ca).publicKey);
    for (const h of hosts) expect(signedBy(h, 'kubelet.crt', old), h).toBe(true);
    expect(new X509Certificate(next).subject).toBe('CN=plover cluster CA 2');
    expect(await p.ask('/version', {}, first)).toBeTruthy();
    // The next of the three is due, and is not begun by itself.
    expect(await p.due()).toMatchObject({
      kind: 'authority',
      authority: 2,
      title: 'Issue certificates of plover by the next authority',
    });
    expect((await p.serving()).map((h) => h.held?.authority?.stage)).toEqual(hosts.map(() => 2));
    const second = await p.kubeconfig();
    await begin(7);
    for (const h of hosts) expect(signedBy(h, 'kubelet.crt', next), h).toBe(true);
    expect(signedBy(member, 'apiserver.crt', next)).toBe(true);
    expect(certificates(pki(member, 'signing-ca.crt'))).toEqual([next]);
    expect(certificates(pki(member, 'ca.crt'))).toEqual([next, old]);
    // Who took the kubeconfig in between is let in, with the certificate of the old one; who did not trusts nobody who answers.
    expect(await p.ask('/version', {}, second)).toBeTruthy();
    await expect(p.ask('/version', {}, first)).rejects.toThrow(/certificate/);
    expect(await p.due()).toMatchObject({ kind: 'authority', authority: 3 });
    await begin(8);
    for (const h of hosts) expect(certificates(pki(h, 'ca.crt')), h).toEqual([next]);
    await expect(p.ask('/api/v1/nodes', {}, second)).rejects.toThrow(/401|403|nauthorized|certificate/);
    expect(await p.ask('/api/v1/nodes')).toBeTruthy();
    expect(await p.due()).toBeNull();
    // Nothing of the old one is left in what is kept.
    const names = await i.query<{ name: string }>(
      "select name from cluster_secret where charter = 'plover' and name ~ '(next|before)'",
    );
    expect(names).toEqual([]);
  });

  it('one that ends soon is told, is not replaced by itself, and no certificate is issued that outlives it', async () => {
    const { config, running } = i;
    const m = running.ctx.db.manager;
    const plan = (await c.good<{ plan: Plan }>('GET', '/api/builds/plover/8')).plan;
    const planned = (name: string) => plan.certificates.find((x) => x.name === name) as PlannedCertificate;
    const short = await issue({ ...planned('cluster-ca'), days: 20 }, new Map());
    for (const [part, text] of [
      ['crt', short.cert],
      ['key', short.key],
    ] as const)
      await keepSecret(config, m, 'plover', `cluster-ca.${part}`, text, {});
    expect(await p.due()).toMatchObject({ kind: 'authority', authority: 1 });
    const trusted = (await p.kubeconfig()).ca;
    expect(new X509Certificate(trusted).fingerprint256).toBe(new X509Certificate(short.cert).fingerprint256);
    const leaf = await issue(
      planned('admin'),
      new Map([
        ['cluster-ca.crt', short.cert],
        ['cluster-ca.key', short.key],
      ]),
    );
    expect(new X509Certificate(leaf.cert).validTo).toBe(new X509Certificate(short.cert).validTo);
  });
});
