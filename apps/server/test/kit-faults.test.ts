import { nodeWriters } from '@praesidor/core/files';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { buildOf, type Client, eventually, Installation, prepare } from './installation.ts';

/** Faults put into the writers of the kit: the stand-in machines stop where real ones do, and the build says at which step and why. */
type File = ReturnType<(typeof nodeWriters)[number]['write']>[number];
type Spoil = (files: File[], host: string) => File[];
const undo: (() => void)[] = [];
function spoil(writer: string, how: Spoil): void {
  const w = nodeWriters.find((x) => x.name === writer) as { write: (typeof nodeWriters)[number]['write'] } | undefined;
  if (!w) throw new Error(`there is no writer ${writer}; there are ${nodeWriters.map((x) => x.name).join(', ')}`);
  const good = w.write;
  w.write = (ctx, node) => how(good(ctx, node), node.host);
  undo.push(() => {
    w.write = good;
  });
}
afterEach(() => {
  for (const u of undo.splice(0)) u();
});
const without =
  (path: string, ...hosts: string[]): Spoil =>
  (files, host) => {
    if (hosts.length && !hosts.includes(host)) return files;
    const left = files.filter((f) => f.path !== path);
    if (left.length === files.length) throw new Error(`${host} has no ${path}`);
    return left;
  };
const change =
  (path: string, from: RegExp, to: string): Spoil =>
  (files) =>
    files.map((f) => (f.path === path ? { ...f, content: f.content.replace(from, to) } : f));

/** Each with what breaks, and why; what the rest waits for then is not begun. */
const faults: [string, () => void, Record<string, RegExp>][] = [
  [
    'the network of one host, the runtime of another, the kubelet’s unit of a third',
    () => {
      spoil('network', (files, host) => (host === 'lr-07' ? [] : files));
      spoil('container runtime', without('/etc/containerd/config.toml', 'lr-05'));
      spoil('kubelet', without('/etc/systemd/system/kubelet.service', 'lr-08'));
    },
    {
      'lr-07/system': /no network configuration was found/,
      'lr-05/join': /no sandbox starts: the runtime's own sandbox image is not here/,
      'lr-08/join': /Unit file kubelet\.service does not exist/,
    },
  ],
  [
    'certificates of etcd that are not for loopback',
    () =>
      spoil('certificates', (files) => {
        const other = files.find((f) => f.path === '/etc/kubernetes/pki/kubelet.crt')?.content ?? '';
        return files.map((f) => (f.path === '/etc/kubernetes/pki/etcd/server.crt' ? { ...f, content: other } : f));
      }),
    { api: /API/ },
  ],
  [
    'an API server that listens where the load balancer does',
    () =>
      spoil(
        'static pods',
        change('/etc/kubernetes/manifests/kube-apiserver.yaml', /--bind-address=\S+/, '--bind-address=0.0.0.0'),
      ),
    { api: /API/ },
  ],
];

describe.each(faults)('a build with a kit that has a fault: %s', (_, put, breaks) => {
  const i = new Installation();
  let c: Client;
  beforeAll(async () => {
    await i.start({ patience: 6 });
    c = await i.as('warden');
    await prepare(c);
  });
  afterAll(() => i.stop());
  it('breaks at the step where a real machine would', async () => {
    put();
    await c.good('POST', '/api/builds', { charter: 'plover' });
    await eventually(async () => (await buildOf(c)).status.state === 'failed', 'the build has come to a stop', 100_000);
    const failed = Object.entries((await buildOf(c)).status.steps).filter(([, s]) => s.state === 'failed');
    expect(Object.fromEntries(failed.map(([id, s]) => [id, s.text]))).toEqual(
      Object.fromEntries(Object.entries(breaks).map(([id, why]) => [id, expect.stringMatching(why)])),
    );
  });
});
