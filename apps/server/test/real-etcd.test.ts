import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { eventually } from './installation.ts';
import { layOut } from './kit-of-plover.ts';
import { Rooms, roomsCanBeHad } from './rooms.ts';

/** Debian's etcd, three of them, with the certificates, flags and commands of the boot kit, each on a machine of its own. */
const able = roomsCanBeHad && existsSync('/usr/bin/etcd') && existsSync('/usr/bin/etcdctl');
/** An address as it stands in a URL. */
const at = (address: string) => (address.includes(':') ? `[${address}]` : address);

describe.runIf(able).each([4, 6] as const)('etcd with the kit of three control-plane hosts, over IPv%d', (v) => {
  const rooms = new Rooms();
  const dir = mkdtempSync(join(tmpdir(), 'members-'));
  const running = new Map<string, ReturnType<Rooms['start']>>();
  let laid: Awaited<ReturnType<typeof layOut>>;
  const on = (host: string, path: string) => laid.on(host, path);
  const moved = (host: string, text: string) =>
    text.replaceAll('/etc/kubernetes', on(host, 'etc/kubernetes')).replaceAll('/var/lib/etcd', on(host, 'var/lib/etcd'));

  beforeAll(async () => {
    laid = await layOut(dir, { v });
    rooms.open();
    for (const m of laid.members) rooms.add(m.host, m.nic, `${m.address}/${v === 6 ? 64 : 25}`);
  });
  afterAll(() => {
    rooms.close();
    rmSync(dir, { recursive: true, force: true });
  });

  const startMember = (host: string) => {
    const pod = parse(readFileSync(on(host, '/etc/kubernetes/manifests/etcd.yaml'), 'utf8')) as {
      spec: { containers: { command: string[] }[] };
    };
    const command = pod.spec.containers[0]?.command.map((c) => moved(host, c)) ?? [];
    running.set(host, rooms.start(host, command));
  };
  /** As the API server asks its own member: over loopback, with its client certificate. */
  const asked = (host: string, ...command: string[]) => {
    const pki = on(host, '/etc/kubernetes/pki');
    return rooms.run(host, [
      ...['etcdctl', '--endpoints=https://127.0.0.1:2379', `--cacert=${pki}/etcd/ca.crt`],
      ...[`--cert=${pki}/apiserver-etcd-client.crt`, `--key=${pki}/apiserver-etcd-client.key`, '--command-timeout=3s'],
      ...command,
    ]);
  };
  const healthy = (host: string) =>
    eventually(
      async () => (await asked(host, 'endpoint', 'health')).code === 0,
      () => `etcd of ${host} to answer over loopback; it says ${running.get(host)?.said().slice(-1500)}`,
    );
  /** What the boot script does before the kubelet starts, as it stands there; the container around each command is left out. */
  const announce = (host: string) => {
    const script = readFileSync(on(host, '/usr/local/sbin/praesidor-boot'), 'utf8');
    const lines = /^ask=[\s\S]*?^sed -i .*$/m.exec(script)?.[0] ?? 'exit 9';
    const text = `set -eu\nexport ETCDCTL_API=3\nreport() { :; }\netcd() { shift; "$@"; }\n${moved(host, lines)}\n`;
    return rooms.run(host, ['sh', '-c', text], 60_000);
  };

  it('starts alone on the first, and answers the API server over loopback', async () => {
    const [first] = laid.members;
    startMember(first.host);
    await healthy(first.host);
    expect((await asked(first.host, 'put', 'a', '1')).out).toContain('OK');
  });
  it('takes the second and the third, each announced as its boot script does, and twice is as good as once', async () => {
    const [, second, third] = laid.members;
    for (const m of [second, third]) {
      const once = await announce(m.host);
      expect([once.code, once.out]).toEqual([0, expect.stringContaining(m.host)]);
      // A power cut before the member started: the script runs anew.
      const again = await announce(m.host);
      expect([again.code, again.out]).toEqual([0, '']);
      startMember(m.host);
      await healthy(m.host);
    }
    const list = await asked(third.host, 'member', 'list');
    for (const m of laid.members) expect(list.out).toContain(`started, ${m.host}, https://${at(m.address)}:2380`);
    // While its leader changes, one is told so and asks again.
    await eventually(
      async () => (await asked(third.host, 'get', 'a', '--print-value-only')).out.trim() === '1',
      'the third to know what was written before it came',
    );
  });
  it('goes on without one, and takes it back as it was', async () => {
    const [first, second] = laid.members;
    await running.get(first.host)?.end();
    await eventually(async () => (await asked(second.host, 'put', 'b', '2')).code === 0, 'a new leader');
    startMember(first.host);
    await healthy(first.host);
    expect((await asked(first.host, 'get', 'b', '--print-value-only')).out.trim()).toBe('2');
  });
  it('takes a fourth in place of one that is lost, with the kit of the charter as it is by then', async () => {
    const [first, second, third] = laid.members;
    await running.get(third.host)?.end();
    const now = await layOut(dir, { v, without: third.host, secrets: laid.secrets });
    const fourth = now.members.find((m) => !laid.members.some((x) => x.host === m.host)) as typeof third;
    expect(now.members.map((m) => m.host)).toEqual([first.host, second.host, fourth.host]);
    rooms.add(fourth.host, fourth.nic, `${fourth.address}/${v === 6 ? 64 : 25}`);
    await eventually(async () => (await asked(first.host, 'put', 'd', '4')).code === 0, 'a leader, should it have led');
    // The one that is lost is taken out of the list: by whoever replaces it.
    const list = (await asked(first.host, 'member', 'list')).out;
    const id = new RegExp(`^([0-9a-f]+), started, ${third.host},`, 'm').exec(list)?.[1] ?? '';
    expect((await asked(first.host, 'member', 'remove', id)).out).toContain('removed');
    // Its script asks whoever is there: the first is away for a while.
    await running.get(first.host)?.end();
    const announcing = announce(fourth.host);
    startMember(first.host);
    expect((await announcing).code).toBe(0);
    startMember(fourth.host);
    await healthy(fourth.host);
    const after = (await asked(fourth.host, 'member', 'list')).out;
    expect(after).toContain(`started, ${fourth.host}, https://${at(fourth.address)}:2380`);
    expect(after).not.toContain(third.host);
    expect((await asked(fourth.host, 'get', 'b', '--print-value-only')).out.trim()).toBe('2');
    // Three again: one more may go.
    await running.get(first.host)?.end();
    await eventually(async () => (await asked(fourth.host, 'put', 'c', '3')).code === 0, 'a leader among the two');
    startMember(first.host);
    await healthy(first.host);
  });
  it('lets in nobody without a certificate of its authority', async () => {
    const [first, second] = laid.members;
    const pki = on(first.host, '/etc/kubernetes/pki');
    const r = await rooms.run(second.host, [
      ...['etcdctl', `--endpoints=https://${at(first.address)}:2379`, `--cacert=${pki}/etcd/ca.crt`],
      ...[`--cert=${pki}/kubelet.crt`, `--key=${pki}/kubelet.key`, '--command-timeout=3s', 'get', 'a'],
    ]);
    expect(r.code).not.toBe(0);
  });
});
