import { createHash } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { httpBoot, smallStub, unified } from '../../../packages/standins/src/firmware.ts';
import { systemContents } from '../../../packages/standins/src/read-world.ts';
import { builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** An operating system with a kernel of its own, and a list of what it contains. */
const published = (name: string, contents: object) => {
  const layer = (title: string) => ({ key: `${title} of ${name}`, declaredBytes: 4e6, title });
  return {
    image: `images.upstream.example/core/${name}:1.34.2`,
    layers: [
      layer('kernel'),
      layer('initrd'),
      { ...layer('stub'), bytes: smallStub() },
      { ...layer('contents'), bytes: Buffer.from(JSON.stringify(contents)) },
    ],
  };
};
const next = published('system-next', systemContents);
const poor = published('system-poor', { packages: [{ name: 'cloud-init', version: '24.1' }], added: [] });
const digest = (b: Buffer) => `sha256:${createHash('sha256').update(b).digest('hex')}`;
const { signal } = new AbortController();

describe('a release with several operating systems', () => {
  const i = new Installation();
  let c: Client;
  const choose = (system: string) =>
    c.good('POST', '/api/edits', {
      why: 'tried',
      edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['workers', 'system'], value: system }],
    });
  beforeAll(async () => {
    await i.start({ also: [next, poor] });
    c = await i.as('warden');
    const release = (await c.estate()).releases.find((r) => r.name === '1.34.2');
    await c.good('POST', '/api/edits', {
      why: 'further operating systems',
      edits: [
        {
          op: 'set',
          kind: 'Release',
          key: '1.34.2',
          path: ['components'],
          value: [
            ...(release?.components ?? []),
            { name: 'system-next', image: next.image, on: 'boot' },
            { name: 'system-poor', image: poor.image, on: 'boot' },
          ],
        },
      ],
    });
    const inBill = async () => (await c.estate()).observed.bills['1.34.2']?.images.map((x) => x.component) ?? [];
    await eventually(async () => (await inBill()).includes('system-poor'), 'its bill has all of them');
    await prepare(c);
  });
  afterAll(() => i.stop());

  it('holds what each lacks against the pools that start it, before anything is touched', async () => {
    await choose('system-poor');
    await c.good('POST', '/api/builds', { charter: 'plover' });
    const { state, text } = (await builtOrBroken(c)).status.steps.preflight ?? {};
    expect(state).toBe('failed');
    expect(text).toContain('system-poor, x86-64, has what the kit asks: system-poor of release 1.34.2 has no kernel');
    // The control plane starts the first of the release, which has all of it.
    expect(text).not.toContain('system, x86-64, has what the kit asks');
    expect([...i.world.machines.values()].every((m) => m.bootUri === undefined)).toBe(true);
  });

  it('starts each machine with the one of its pool: by firmware, by iPXE, and from its disk later', async () => {
    await choose('system-next');
    const { hosts } = await c.estate();
    const held = (role: string) => hosts.find((h) => h.held?.charter === 'plover' && h.held.role === role)?.name ?? '';
    const [member, worker] = [held('control-plane'), held('worker')];
    for (const host of [member, worker]) i.plant('node-never-boots', host);
    await c.good('POST', '/api/builds', { charter: 'plover' });
    const { images } = (await c.estate()).observed.bills['1.34.2'] ?? { images: [] };
    for (const [host, system] of [
      [member, 'system'],
      [worker, 'system-next'],
    ] as const) {
      const uri = await eventually(async () => i.world.machines.get(host)?.bootUri, `the controller of ${host} is told`);
      const blobs = images.find((x) => x.component === system)?.blobs ?? [];
      const has = ({ linux, initrd }: { linux: Buffer; initrd: Buffer }) => [digest(linux), digest(initrd)];
      expect(blobs).toEqual(expect.arrayContaining(has(unified(await httpBoot(uri, signal)))));
      expect(blobs).toEqual(expect.arrayContaining(has(unified(await httpBoot(uri.replace('boot.efi', 'disk.efi'), signal)))));
      // What the script names is what iPXE loads.
      const script = await (await fetch(uri.replace('boot.efi', 'boot.ipxe'))).text();
      for (const verb of [/^kernel (\S+) /m, /^initrd --name initrd (\S+) /m]) {
        const r = await fetch(verb.exec(script)?.[1] ?? '');
        expect([r.status, blobs.includes(digest(Buffer.from(await r.arrayBuffer())))]).toEqual([200, true]);
      }
    }
  });
});
