import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Setup } from '@praesidor/contract';
import { gatewayFiles } from '@praesidor/core/files';
import { kinds } from '@praesidor/core/model';
import { mapAddress } from '@praesidor/protocols/dial';
import { type SshKeys, sshKeys } from '@praesidor/protocols/ssh';
import { tarOf } from '../src/tar-of.ts';
import { type Client, eventually, Installation } from './installation.ts';
import { Rooms, roomsCanBeHad } from './rooms.ts';

/**
 * A gateway of two members, each a room of its own with Debian's sshd, sudo, BIRD, keepalived and nft, and the account and program that the server hands out. Its folders lie in
 * a mount namespace; what systemd would do with the two daemons a short script does, since no systemd runs in a room.
 *
 *     uplink 10.66.0.0/29 ──┬── gate-a ──┬── machines 10.66.8.0/25
 *                           └── gate-b ──┘
 */
const programs = ['/usr/sbin/sshd', '/usr/bin/sudo', '/usr/sbin/bird', '/usr/sbin/keepalived', '/usr/sbin/nft'];
const able = roomsCanBeHad && programs.every((p) => existsSync(p));
if (roomsCanBeHad && !able) process.stderr.write('sshd, sudo, bird, keepalived or nft is not there: no gateway is set up.\n');

const members = { 'gate-a': '10.66.8.2', 'gate-b': '10.66.8.3' };
const systemctl = `#!/bin/sh
# reload-or-restart, enable and stop of the two daemons, as their units would do it.
PATH=/usr/sbin:/usr/bin:/sbin:/bin
# A daemon keeps nothing of whoever had it started.
exec 9>&-
case "$*" in
  *enable*) exit 0 ;;
  "reload-or-restart bird")
    while [ -e /etc/bird/slow ]; do sleep 0.1; done
    [ ! -e /etc/bird/refuse ] || { echo "Job for bird.service failed" >&2; exit 1; }
    birdc configure > /dev/null 2>&1 || bird -c /etc/bird/bird.conf ;;
  "reload-or-restart keepalived")
    kill -HUP "$(cat /etc/keepalived/pid 2> /dev/null)" 2> /dev/null ||
      keepalived --vrrp --use-file /etc/keepalived/keepalived.conf --pid /etc/keepalived/pid --vrrp_pid /etc/keepalived/vrrp ;;
  "stop keepalived") [ ! -e /etc/keepalived/pid ] || kill "$(cat /etc/keepalived/pid)" ;;
esac
`;

describe.runIf(able)('a gateway', () => {
  const i = new Installation();
  const rooms = new Rooms();
  const dir = able ? mkdtempSync(join(tmpdir(), 'setup-')) : '';
  const doors: Server[] = [];
  /** How often somebody came to each of them. */
  const asked = new Map<string, number>();
  let c: Client;
  const keys = new Map<string, SshKeys>();
  const at = (member: string, path: string) => join(dir, member, path);
  const put = (member: string, path: string, text: string, mode = 0o644) => {
    mkdirSync(join(at(member, path), '..'), { recursive: true });
    writeFileSync(at(member, path), text, { mode });
  };
  const read = (member: string, path: string) =>
    existsSync(at(member, path)) ? readFileSync(at(member, path), 'utf8') : undefined;
  const gateway = (more: object = {}, memberMore: object = {}) => ({
    kind: 'Gateway',
    name: 'gate',
    site: 'lr',
    advertise: 0.2,
    addresses: [{ network: 'gate-machines', address: '10.66.8.1', id: 66 }],
    routes: [{ to: '10.67.0.0/16', via: '10.66.0.1' }],
    members: Object.entries(members).map(([name, address], k) => ({
      name,
      priority: 150 - 50 * k,
      interfaces: [
        { network: 'gate-machines', address, name: 'machine' },
        { network: 'gate-uplink', address: `10.66.0.${2 + k}`, name: 'uplink' },
      ],
      login: { hostKey: keys.get(name)?.public },
      ...memberMore,
    })),
    ...more,
  });
  const declare = (doc: object) => c.good('POST', '/api/import', { text: JSON.stringify(doc) });
  const setup = () => c.good<Setup>('GET', '/api/gateways/gate/setup');
  const began = () => c.good('POST', '/api/gateways/gate/setup');
  /** What makes a shell in a mount namespace of its own one that runs on a member. */
  const room = (name: string) => {
    const bind = { etc: '/etc', home: '/home', sbin: '/usr/local/sbin', 'run-bird': '/run/bird' };
    return `set -e
mkdir -p /run/sshd
${Object.entries(bind)
  .map(([from, to]) => `[ -e ${to} ] || mkdir -p ${to}; mount --bind ${at(name, from)} ${to}`)
  .join('\n')}
[ -e /run/praesidor-gateway.lock ] || : > /run/praesidor-gateway.lock
mount --bind ${at(name, 'lock')} /run/praesidor-gateway.lock`;
  };
  let said = '';
  const ended = async () =>
    eventually(
      async () => {
        const { last } = await setup();
        said = JSON.stringify(last?.status);
        return last && ['done', 'failed', 'stopped'].includes(last.status.state) && last;
      },
      () => said,
    );
  const failed = (last: NonNullable<Setup['last']>) =>
    Object.entries(last.status.steps).flatMap(([id, s]) => (s.state === 'failed' ? [`${id}: ${s.text}`] : []));
  const run = async (member: string, ...command: string[]) => (await rooms.run(member, command)).out;

  beforeAll(async () => {
    await i.start({ timeoutSeconds: 30 });
    c = await i.as('warden');
    for (const name of Object.keys(members)) keys.set(name, await sshKeys());
    for (const [name, prefix, vlan] of [
      ['gate-machines', '10.66.8.0/25', 66],
      ['gate-uplink', '10.66.0.0/29', 67],
    ])
      await declare({ kind: 'Network', name, site: 'lr', purpose: name === 'gate-uplink' ? 'uplink' : 'machine', prefix, vlan });
    await declare(gateway());
    const { account } = await setup();
    rooms.open().bridge('uplinks');
    for (const [k, [name, address]] of Object.entries(members).entries()) {
      rooms.add(name, 'machine', `${address}/25`);
      rooms.add(name, 'uplink', `10.66.0.${2 + k}/29`, 'uplinks');
      // Its own /etc, with the account as somebody makes it from what the page says.
      mkdirSync(join(dir, name), { recursive: true });
      spawnSync('cp', ['-a', '/etc', at(name, 'etc')]);
      const add = (file: string, line: string) =>
        writeFileSync(at(name, `etc/${file}`), `${readFileSync(`/etc/${file}`, 'utf8')}${line}\n`);
      add('passwd', `${account.user}:x:4711:4711::/home/${account.user}:/bin/sh`);
      add('group', `${account.user}:x:4711:`);
      add('shadow', `${account.user}:!:20000:0:99999:7:::`);
      put(name, 'etc/sudoers.d/praesidor', `${account.sudo}\n`, 0o440);
      put(name, `home/${account.user}/.ssh/authorized_keys`, `${account.key}\n`);
      put(name, 'host_key', keys.get(name)?.private ?? '', 0o600);
      put(name, 'sbin/praesidor-gateway', account.program, 0o755);
      put(name, 'sbin/systemctl', systemctl, 0o755);
      // As the package lays it: somebody else's.
      put(name, 'etc/bird/bird.conf', '# of the distribution\nprotocol device { }\n');
      put(name, 'etc/nftables.conf', 'table inet theirs { }\n');
      for (const folder of ['etc/keepalived', 'run-bird']) mkdirSync(at(name, folder), { recursive: true });
      put(name, 'lock', '');
      const script = `${room(name)}
exec /usr/sbin/sshd -i -f /etc/ssh/sshd_config -o HostKey=${at(name, 'host_key')} -o StrictModes=no`;
      const [first = '', ...rest] = rooms.inside(name);
      // Each connection is an sshd of its own in the room, as inetd would begin it.
      const door = createServer((socket) => {
        asked.set(name, (asked.get(name) ?? 0) + 1);
        const child = spawn(first, [...rest, 'unshare', '--mount', '--propagation', 'private', 'sh', '-c', script], {
          stdio: ['pipe', 'pipe', 'ignore'],
        });
        socket.pipe(child.stdin).on('error', () => undefined);
        child.stdout.pipe(socket).on('error', () => undefined);
        socket.on('error', () => child.kill('SIGKILL')).on('close', () => child.kill('SIGKILL'));
      });
      const to = mapAddress(i.config.addressMap, address, 22);
      await new Promise<void>((done) => door.listen(to.port, to.host, done));
      doors.push(door);
    }
  });
  afterAll(async () => {
    for (const d of doors) d.close();
    rooms.close();
    await i.stop();
    if (dir) rmSync(dir, { recursive: true, force: true });
  });

  it('is set up member by member: routes are in the kernel, and the moving address is at one of them', async () => {
    await began();
    const last = await ended();
    expect(failed(last)).toEqual([]);
    expect(last.status.state).toBe('done');
    const done = last.steps
      .map((s) => s.id)
      .sort((a, b) => Date.parse(last.status.steps[a]?.ended ?? '') - Date.parse(last.status.steps[b]?.ended ?? ''));
    // Who stands by comes first.
    expect(done.indexOf('gate-b/holds')).toBeLessThan(done.indexOf('gate-a/set-up'));
    for (const m of Object.keys(members)) {
      expect(await run(m, 'ip', 'route', 'show', '10.67.0.0/16')).toContain('via 10.66.0.1');
      expect(await run(m, 'sysctl', '-n', 'net.ipv4.ip_forward')).toContain('1');
      expect(read(m, 'etc/bird/bird.conf.before-praesidor')).toContain('of the distribution');
    }
    const holders = await Promise.all(Object.keys(members).map((m) => run(m, 'ip', '-o', 'addr', 'show')));
    expect(holders.filter((h) => h.includes(' 10.66.8.1/'))).toHaveLength(1);
    expect(last.log.map((l) => l.line)).toContain('put /etc/bird/bird.conf');
  });

  it('set up again changes nothing; what it is declared with since comes, and what is declared no more goes', async () => {
    await began();
    expect((await ended()).status.steps['gate-a/set-up']?.text).toBe('nothing to change');
    await declare(gateway({ routes: [{ to: '10.68.0.0/16', via: '10.66.0.1' }] }));
    await began();
    expect(failed(await ended())).toEqual([]);
    expect(await run('gate-a', 'ip', 'route', 'show')).toMatch(/10\.68\.0\.0\/16 via 10\.66\.0\.1/);
    expect(await run('gate-a', 'ip', 'route', 'show')).not.toContain('10.67.0.0/16');
  });

  it('has its rules and its outbound addresses in force, and has neither when they are declared no more', async () => {
    // What somebody else wrote there is not put in force by us.
    expect(await run('gate-a', 'nft', 'list', 'ruleset')).toBe('');
    await declare(
      gateway({
        rules: [{ do: 'deny', from: '10.66.8.0/25', protocol: 'tcp', port: 22 }],
        nat: [{ from: '10.66.8.0/25', to: '10.66.0.5', out: 'gate-uplink' }],
      }),
    );
    await began();
    expect(failed(await ended())).toEqual([]);
    const rules = await run('gate-b', 'nft', 'list', 'ruleset');
    expect(rules).toContain('ip saddr 10.66.8.0/25 tcp dport 22 drop');
    expect(rules).toContain('oifname "uplink" ip saddr 10.66.8.0/25 snat ip to 10.66.0.5');
    expect(read('gate-b', 'etc/nftables.conf.before-praesidor')).toContain('theirs');
    await declare(gateway());
    await began();
    const last = await ended();
    expect(failed(last)).toEqual([]);
    expect(last.log.map((l) => l.line)).toContain('removed /etc/nftables.conf');
    expect(await run('gate-b', 'nft', 'list', 'ruleset')).toBe('');
  });

  it('whose files a program would not take, or speak of an interface that is not there, is not touched', async () => {
    const before = read('gate-a', 'etc/bird/bird.conf');
    const odd = gateway();
    (odd.members[0]?.interfaces[1] as { name: string }).name = 'vlan999';
    await declare(odd);
    await began();
    const last = await ended();
    expect(failed(last)).toEqual(['gate-a/judge: gate-a: it has no interface vlan999']);
    expect(last.status.steps['gate-b/set-up']?.state).not.toBe('done');
    expect(read('gate-a', 'etc/bird/bird.conf')).toBe(before);
    // Mended, it goes on where it stood.
    await declare(gateway());
    await c.good('POST', '/api/gateways/gate/setup/resume');
    expect(failed(await ended())).toEqual([]);
  });

  it('that cannot be put in force has everything put back, and the next member is not begun', async () => {
    const before = read('gate-b', 'etc/bird/bird.conf');
    await declare(gateway({ routes: [{ to: '10.69.0.0/16', via: '10.66.0.1' }] }));
    put('gate-b', 'etc/bird/refuse', '');
    await began();
    const last = await ended();
    expect(failed(last)).toEqual([expect.stringContaining('gate-b/set-up: gate-b: Job for bird.service failed')]);
    expect(failed(last)[0]).toContain('everything was put back as it was');
    expect(read('gate-b', 'etc/bird/bird.conf')).toBe(before);
    expect(last.status.steps['gate-a/set-up']?.attempt ?? 0).toBe(0);
    rmSync(at('gate-b', 'etc/bird/refuse'));
    await c.good('POST', '/api/gateways/gate/setup/resume');
    expect(failed(await ended())).toEqual([]);
    expect(await run('gate-b', 'ip', 'route', 'show')).toContain('10.69.0.0/16');
  });

  it('is set up once when two people begin it at the same moment', async () => {
    const other = await i.as('builder');
    const count = async () =>
      (await i.query<{ n: number }>("select count(*)::int as n from run where kind = 'gateway'"))[0]?.n ?? 0;
    const before = await count();
    const both = await Promise.all([c, other].map((who) => who.call('POST', '/api/gateways/gate/setup')));
    expect(both.map((a) => a.status).sort()).toEqual([201, 409]);
    expect(both.find((a) => a.status === 409)?.body.message).toContain('gate is being set up');
    expect(failed(await ended())).toEqual([]);
    expect(await count()).toBe(before + 1);
  });

  it('goes on where it stood when the server was away in the middle: what a member had begun it ends, and is asked once more', async () => {
    await declare(gateway({ routes: [{ to: '10.70.0.0/16', via: '10.66.0.1' }] }));
    put('gate-b', 'etc/bird/slow', '');
    await began();
    // Its files are there, and are being put in force.
    await eventually(async () => read('gate-b', 'etc/bird/bird.conf')?.includes('10.70.0.0/16'), 'the files of gate-b');
    const before = asked.get('gate-b') ?? 0;
    await i.restart();
    // It is told that somebody is at it, and waits for that.
    await eventually(async () => (asked.get('gate-b') ?? 0) >= before + 2, 'gate-b being asked twice more');
    expect((await setup()).last?.status.steps['gate-a/set-up']?.attempt ?? 0).toBe(0);
    rmSync(join(dir, 'gate-b', 'etc/bird/slow'));
    const last = await ended();
    expect(failed(last)).toEqual([]);
    expect(['gate-a/judge', 'gate-b/judge', 'gate-b/holds', 'gate-a/set-up'].map((s) => last.status.steps[s]?.attempt)).toEqual([
      1, 1, 1, 1,
    ]);
    for (const m of Object.keys(members)) expect(await run(m, 'ip', 'route', 'show')).toContain('10.70.0.0/16');
  });

  it('ends what it has begun when whoever asked has gone', async () => {
    const files = gatewayFiles(
      await c.estate(),
      kinds.Gateway.parse(gateway({ routes: [{ to: '10.71.0.0/16', via: '10.66.0.1' }] })),
    );
    const tar = await tarOf([
      { name: 'do', content: 'apply\n', mode: '0644' },
      { name: 'interfaces', content: 'machine\nuplink\n', mode: '0644' },
      ...files.flatMap((f) => (f.member === 'gate-a' ? [{ name: `root${f.path}`, content: f.text, mode: '0644' }] : [])),
    ]);
    writeFileSync(at('gate-a', 'asked.tar'), tar);
    // Nobody reads what it says: the first line that it writes finds no reader.
    const script = `${room('gate-a')}
praesidor-gateway < ${at('gate-a', 'asked.tar')} 2> /dev/null | true`;
    await rooms.run('gate-a', ['unshare', '--mount', '--propagation', 'private', 'sh', '-c', script]);
    await eventually(
      async () => (await run('gate-a', 'ip', 'route', 'show')).includes('10.71.0.0/16'),
      'the route being in force at gate-a',
    );
  });

  it('is entered by nobody who shows another key, and set up by whoever may', async () => {
    await declare(gateway({}, { login: { hostKey: (await sshKeys()).public } }));
    await began();
    const last = await ended();
    expect(failed(last)).toContainEqual(expect.stringContaining('another machine answers at 10.66.8.2'));
    expect((await (await i.as('planner')).call('POST', '/api/gateways/gate/setup')).status).toBe(403);
    const lacks = await c.call('POST', '/api/gateways/lr-gate/setup');
    expect([lacks.status, JSON.stringify(lacks.body)]).toEqual([
      409,
      expect.stringContaining('No log-in is declared for lr-gate-a and lr-gate-b'),
    ]);
  });

  it('has a program that does three things and no other', () => {
    const { out } = { out: spawnSync('sh', ['-n', at('gate-a', 'sbin/praesidor-gateway')]) };
    expect(out.status).toBe(0);
  });
});
