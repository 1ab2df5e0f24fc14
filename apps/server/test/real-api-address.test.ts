import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { eventually } from './installation.ts';
import { layOut } from './kit-of-plover.ts';
import { Rooms, roomsCanBeHad } from './rooms.ts';

/** Debian's haproxy and keepalived with the files of the boot kit, beside a server that listens as an API server is told to. */
const able = roomsCanBeHad && existsSync('/usr/sbin/haproxy') && existsSync('/usr/sbin/keepalived');
describe.runIf(able).each([4, 6] as const)('over IPv%d', (v) => {
  const length = v === 6 ? 64 : 25;
  const rooms = new Rooms();
  const dir = mkdtempSync(join(tmpdir(), 'address-'));
  let laid: Awaited<ReturnType<typeof layOut>>;
  type Program = ReturnType<Rooms['start']>;
  const running = new Map<string, Record<'api' | 'haproxy' | 'keepalived', Program>>();

  /** Listens where the flags of the API server say, with its certificate, and tells who it is. */
  const server = `
const { readFileSync } = require('node:fs');
const [, address, key, cert, name] = process.argv;
require('node:https').createServer({ key: readFileSync(key), cert: readFileSync(cert) }, (q, r) => r.end(name)).listen(6443, address);`;

  /** Says where the proxy of services says it that it is well. */
  const proxy = `require('node:http').createServer((q, r) => r.writeHead(q.url === '/healthz' ? 200 : 404).end()).listen(10256, '127.0.0.1')`;
  const workers = new Map<string, Record<'proxy' | 'keepalived', Program>>();
  const startKeepalived = (host: string) =>
    rooms.start(host, [
      ...['keepalived', '--dont-fork', '--log-console', '--vrrp', '--use-file', laid.on(host, '/etc/keepalived/keepalived.conf')],
      ...['--pid', join(dir, `${host}.pid`), '--vrrp_pid', join(dir, `${host}.vrrp`)],
    ]);

  beforeAll(async () => {
    laid = await layOut(dir, { routed: true, v });
    rooms.open();
    for (const m of laid.members) {
      rooms.add(m.host, m.nic, `${m.address}/${length}`);
      // As the kit's sysctl.d has it.
      await rooms.run(m.host, ['sysctl', '-qw', `net.ipv${v}.ip_nonlocal_bind=1`]);
      const pki = laid.on(m.host, '/etc/kubernetes/pki');
      running.set(m.host, {
        api: rooms.start(m.host, [
          process.execPath,
          '-e',
          server,
          m.address,
          `${pki}/apiserver.key`,
          `${pki}/apiserver.crt`,
          m.host,
        ]),
        haproxy: rooms.start(m.host, ['haproxy', '-db', '-f', laid.on(m.host, '/etc/haproxy/haproxy.cfg')]),
        keepalived: startKeepalived(m.host),
      });
    }
    for (const w of laid.plan.nodes.filter((n) => n.role === 'worker')) {
      rooms.add(w.host, w.nic, `${w.address}/${length}`);
      workers.set(w.host, { proxy: rooms.start(w.host, [process.execPath, '-e', proxy]), keepalived: startKeepalived(w.host) });
    }
    rooms.add('desk', 'eth0', v === 6 ? 'fd00:62:8::120/64' : '10.62.8.120/25');
  });
  afterAll(() => {
    rooms.close();
    rmSync(dir, { recursive: true, force: true });
  });

  /** Who answers at the API address, asked by its name and with the cluster's authority; undefined: nobody. */
  const answers = async () => {
    const { name, address } = laid.plan.api;
    const r = await rooms.run('desk', [
      ...['curl', '-sS', '-m', '3', '--cacert', laid.on(laid.members[0].host, '/etc/kubernetes/pki/ca.crt')],
      ...['--resolve', `${name}:6443:${v === 6 ? `[${address}]` : address}`, `https://${name}:6443/`],
    ]);
    return r.code === 0 && r.out.startsWith('lr-') ? r.out : undefined;
  };
  /** The hosts that have an address. */
  const having = async (address: string) => {
    const out: string[] = [];
    for (const n of laid.plan.nodes)
      if ((await rooms.run(n.host, ['ip', '-o', 'addr', 'show'])).out.includes(` ${address}/`)) out.push(n.host);
    return out;
  };
  const holders = () => having(laid.plan.api.address);
  const said = () =>
    [...running]
      .map(([h, p]) => `${h}: ${p.keepalived.said().slice(-600)} ${p.haproxy.said().slice(-300)} ${p.api.said().slice(-300)}`)
      .join('\n');
  const oneHolder = (not?: string) =>
    eventually(
      async () => {
        const h = await holders();
        return h.length === 1 && h[0] !== not && h[0];
      },
      () => `one host to have the API address: ${said()}`,
    );

  describe('the API address of three control-plane hosts', () => {
    it('is at one of them, and answered there, although server and load balancer have the same port', async () => {
      await oneHolder();
      expect(await eventually(answers, () => `somebody to answer: ${said()}`)).toMatch(/^lr-0[1-3]$/);
      for (const p of running.values()) {
        // That nobody answered yet when it started is no fault of it.
        expect(p.haproxy.said()).not.toMatch(/cannot bind|ALERT(?!.*has no server available)/);
        expect(p.api.said()).toBe('');
      }
    });
    it('is answered by the others when the API server of its holder ends', async () => {
      const holder = (await oneHolder()) as string;
      await running.get(holder)?.api.end();
      expect(
        await eventually(async () => {
          const a = await answers();
          return a !== holder && a;
        }, said),
      ).not.toBe(holder);
      await oneHolder();
    });
    it('moves when the load balancer of its holder ends, and is answered within half a minute', async () => {
      const holder = (await oneHolder()) as string;
      const began = Date.now();
      await running.get(holder)?.haproxy.end();
      expect(await oneHolder(holder)).not.toBe(holder);
      await eventually(answers, said);
      // Two looks of 2 s that fail, three adverts that are missed, and the look of the other.
      expect(Date.now() - began).toBeLessThan(30_000);
    });
  });

  describe('the inbound address', () => {
    const oneWorker = (not?: string) =>
      eventually(
        async () => {
          const h = await having(laid.plan.inbound.address);
          return h.length === 1 && h[0] !== not && h[0];
        },
        () =>
          `one worker to have the inbound address: ${[...workers].map(([h, p]) => `${h}: ${p.keepalived.said().slice(-600)}`).join('\n')}`,
      );
    it('is at one of the workers, and leaves one whose proxy of services has ended', async () => {
      const holder = (await oneWorker()) as string;
      expect([...workers.keys()]).toContain(holder);
      await workers.get(holder)?.proxy.end();
      const next = (await oneWorker(holder)) as string;
      expect([...workers.keys()]).toContain(next);
      // The API address is no business of theirs.
      expect(await holders()).toHaveLength(1);
    });
  });
});
