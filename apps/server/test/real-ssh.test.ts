import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, readlinkSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pack } from 'tar-stream';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parse } from 'yaml';
import { accountKey, hostKey, publicHalf, serverAccount } from '@praesidor/core/charter';
import { anywhere, Exits } from '@praesidor/protocols/dial';
import { runOver, type SshAt, type SshKeys, sshKeys } from '@praesidor/protocols/ssh';
import { folderStore, giveBack, keysOf, makeBackup } from '@praesidor/backups';
import { hostSource, writeOver } from '../src/areas/backups/source.ts';
import { read as wayOf } from '../src/areas/builds/measure-from.ts';
import { sha256 } from '../src/areas/clusters/kit.ts';
import { eventually, freePort } from './installation.ts';
import { layOut } from './kit-of-plover.ts';

/**
 * Debian's sshd, sudo and shell with the account and the program of the boot kit, in a mount namespace of their own: accounts, sudoers and the paths of a host are the
 * test's there. What the program would start anew is put down, since no systemd and no runtime run here.
 */
const able =
  process.getuid?.() === 0 &&
  existsSync('/usr/sbin/sshd') &&
  existsSync('/usr/bin/sudo') &&
  spawnSync('unshare', ['--mount', 'true']).status === 0;
if (!able) process.stderr.write('Real sshd and sudo are skipped: they take root, openssh-server, sudo and mount namespaces.\n');

interface User {
  name: string;
  sudo: string;
  ssh_authorized_keys: string[];
}
const dir = able ? mkdtempSync(join(tmpdir(), 'ssh-')) : '';
const at = (path: string) => join(dir, path);
const put = (path: string, text: string, mode = 0o644) => {
  mkdirSync(join(at(path), '..'), { recursive: true });
  writeFileSync(at(path), text, { mode });
};
const read = (path: string) => (existsSync(at(path)) ? readFileSync(at(path), 'utf8') : undefined);
describe.runIf(able)('a host that runs Debian’s sshd', () => {
  let [server, machine] = [] as unknown as [SshKeys, SshKeys];
  let port = 0;
  let child: ChildProcess | undefined;
  let said = '';
  const host = 'lr-02';
  const place = (more: Partial<SshAt> = {}): SshAt => ({
    exits: new Exits([], anywhere),
    host,
    address: '127.0.0.1',
    port,
    user: serverAccount,
    key: server.private,
    hostKey: machine.public,
    ...more,
  });
  const tarOf = async (files: Record<string, string>, sums = true): Promise<Buffer> => {
    const tar = pack();
    for (const [name, text] of Object.entries(files)) tar.entry({ name, mode: name.endsWith('.key') ? 0o600 : 0o644 }, text);
    const list = Object.entries(files).map(([name, text]) => `${sha256(sums ? text : `${text}?`)}  ${name}\n`);
    tar.entry({ name: 'SHA256SUMS' }, list.join(''));
    tar.finalize();
    const pieces: Buffer[] = [];
    for await (const p of tar) pieces.push(p as Buffer);
    return Buffer.concat(pieces);
  };
  const run = async (bytes: Buffer, more: Partial<SshAt> = {}, command = 'put') => {
    const lines: string[] = [];
    const ended = await runOver(place(more), command, bytes, { line: (l) => lines.push(l) });
    return { ...ended, lines };
  };

  beforeAll(async () => {
    [server, machine] = [await sshKeys(), await sshKeys()];
    const secrets = new Map([
      [accountKey, server.private],
      [publicHalf(accountKey), server.public],
      [hostKey(host), machine.private],
      [publicHalf(hostKey(host)), machine.public],
    ]);
    const laid = await layOut(at('kit'), { secrets });
    const data = parse(laid.kit.find((f) => f.path === `hosts/${host}/user-data`)?.content ?? '') as {
      users: User[];
      ssh_keys: { ed25519_private: string };
    };
    const user = data.users.find((u) => u.name === serverAccount) as User;
    // As cloud-init makes it of user-data: a locked password, a key, a line in sudoers.
    put('accounts/passwd', `${readFileSync('/etc/passwd', 'utf8')}${user.name}:x:4711:4711::/home/${user.name}:/bin/sh\n`);
    put('accounts/group', `${readFileSync('/etc/group', 'utf8')}${user.name}:x:4711:\n`);
    put('accounts/shadow', `${readFileSync('/etc/shadow', 'utf8')}${user.name}:!:20000:0:99999:7:::\n`, 0o640);
    put('sudoers.d/90-cloud-init-users', `${user.name} ${user.sudo}\n`, 0o440);
    put(`home/${user.name}/.ssh/authorized_keys`, `${user.ssh_authorized_keys.join('\n')}\n`);
    put('host_key', data.ssh_keys.ed25519_private, 0o600);
    put('sbin/praesidor-put', readFileSync(laid.on(host, '/usr/local/sbin/praesidor-put'), 'utf8'), 0o755);
    put('sbin/systemctl', `#!/bin/sh\necho "systemctl $*" >> ${at('done')}\n`, 0o755);
    put('sbin/ctr', `#!/bin/sh\n[ "$4" = ls ] && echo c1\necho "ctr $*" >> ${at('done')}\n`, 0o755);
    put('back/.keep', '');
    put('praesidor/joined', 'build 1\n');
    put('volumes/scratch/tides/2026', 'high at noon\n');
    put('kubernetes/pki/kubelet.crt', 'old\n');
    put('kubelet/pki/kubelet-client-current.pem', 'granted before\n');
    const table = readFileSync(laid.on(host, '/etc/praesidor/disks'), 'utf8');
    put('etc-praesidor/disks', table);
    const id = /^system \S+ \S+ (\S+) /m.exec(table)?.[1];
    put('sbin/lsblk', `#!/bin/sh\necho "/dev/nothing ${id} boot"\n`, 0o755);
    // No disk image can be mounted in many a container: a folder stands for the partition.
    put('disk/meta-data', 'before\n');
    put(
      'sbin/mount',
      `#!/bin/sh\n[ "$*" = "-t vfat -o umask=0077 /dev/nothing $6" ] && exec /bin/mount --bind ${at('disk')} "$6"\n`,
      0o755,
    );
    port = await freePort();
    const bind = Object.entries({
      'accounts/passwd': '/etc/passwd',
      'accounts/group': '/etc/group',
      'accounts/shadow': '/etc/shadow',
      'sudoers.d': '/etc/sudoers.d',
      home: '/home',
      sbin: '/usr/local/sbin',
      kubernetes: '/etc/kubernetes',
      praesidor: '/var/lib/praesidor',
      volumes: '/var/lib/containerd/volumes',
      kubelet: '/var/lib/kubelet',
      'etc-praesidor': '/etc/praesidor',
    });
    const options = [`Port=${port}`, 'ListenAddress=127.0.0.1', `HostKey=${at('host_key')}`, 'PidFile=none', 'StrictModes=no'];
    const script = `
set -e
mkdir -p /run/sshd
${bind
  .map(([from, to]) => `[ -e ${to} ] || { mkdir -p ${to}; echo ${to} >> ${at('made')}; }\nmount --bind ${at(from)} ${to}`)
  .join('\n')}
# Whatever the program does, what is not bound here stays as it is.
for rw in /run /tmp; do mount --bind $rw $rw; done
mount -o remount,bind,ro /
exec /usr/sbin/sshd -D -e -f /etc/ssh/sshd_config ${options.map((o) => `-o ${o}`).join(' ')}`;
    child = spawn('unshare', ['--mount', '--propagation', 'private', 'sh', '-c', script], {
      stdio: ['ignore', 'ignore', 'pipe'],
    });
    child.stderr?.on('data', (d) => {
      said = (said + d).slice(-5000);
    });
    await eventually(async () => said.includes('Server listening'), 'sshd listens').catch((e: Error) => {
      throw new Error(`${e.message}: ${said}`);
    });
  });
  afterAll(async () => {
    const gone = new Promise((done) => child?.once('exit', done));
    child?.kill('SIGKILL');
    await gone;
    for (const made of (read('made') ?? '').split('\n').filter(Boolean).reverse()) spawnSync('rmdir', [made]);
    rmSync(dir, { recursive: true, force: true });
  });

  it('takes files from the server’s key, whole, with their modes, and has started anew what reads them', async () => {
    const ended = await run(
      await tarOf({
        installation: 'build 7\n',
        'root/etc/kubernetes/pki/kubelet.crt': 'new\n',
        'root/etc/kubernetes/pki/kubelet.key': 'secret\n',
      }),
    );
    expect([ended.code, ended.errors]).toEqual([0, '']);
    expect(ended.lines).toContain('put /etc/kubernetes/pki/kubelet.crt');
    expect(ended.lines.at(-1)).toBe('started anew: kube-scheduler');
    expect([read('kubernetes/pki/kubelet.crt'), read('kubernetes/pki/kubelet.key')]).toEqual(['new\n', 'secret\n']);
    expect(
      spawnSync('stat', ['-c', '%a %U', at('kubernetes/pki/kubelet.key')])
        .stdout.toString()
        .trim(),
    ).toBe('600 root');
    expect([read('praesidor/joined'), read('kubelet/pki/kubelet-client-current.pem')]).toEqual(['build 7\n', undefined]);
    const done = (read('done') ?? '').split('\n');
    expect(done).toContain('systemctl restart kubelet');
    expect(done).toContain('ctr -n k8s.io containers ls -q labels."io.kubernetes.container.name"==etcd');
    expect(done).toContain('ctr -n k8s.io tasks kill -s SIGTERM c1');
  });

  it('tells how it gets to an address, and who takes connections there, and changes nothing', async () => {
    const server = createServer((c) => c.end());
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const open = (server.address() as AddressInfo).port;
    const measured = async (reach: string) => {
      const ended = await run(await tarOf({ reach }));
      return { ...ended, found: wayOf(ended.lines) };
    };
    const good = await measured(`127.0.0.1 ${open}\n`);
    expect([good.code, good.errors]).toEqual([0, '']);
    // Loopback is on its own link.
    expect(good.found).toMatchObject({ via: null, link: 'lo', answered: true, why: null });
    expect(good.found.mtu).toBeGreaterThan(60_000);
    expect(good.found.ms).toBeLessThan(1000);
    await new Promise((done) => server.close(done));
    expect((await measured(`127.0.0.1 ${open}\n`)).found).toMatchObject({ answered: false, why: 'refused, or no way there' });
    // Nothing of what came is run as a command.
    const odd = await measured('127.0.0.1 $(touch /tmp/never)\n');
    expect([odd.code, odd.errors]).toEqual([65, 'that is no address and no port']);
    expect(read('praesidor/joined')).toBe('build 7\n');
  });

  it('reads a volume out: all of it, told by blocks, and those that are wanted; and changes nothing', async () => {
    const path = '/var/lib/containerd/volumes/scratch';
    const large = randomBytes(9_000_000);
    writeFileSync(at('volumes/scratch/log'), large);
    spawnSync('ln', ['-s', 'log', at('volumes/scratch/newest')]);
    const store = folderStore(at('store'));
    const keys = await keysOf(store, 'seven lamps');
    const source = hostSource(place(), path);
    const of = (n: number) => ({ cluster: 'plover', volume: 'tides', at: `2026-11-0${n}T02:00:00Z` });
    const first = await makeBackup(store, keys, source, of(1));
    // 9 MB and a few heads of files: three blocks.
    expect([first.index.blocks.length, first.sent.blocks]).toEqual([3, 3]);
    expect((await makeBackup(store, keys, source, of(2))).sent).toEqual({ blocks: 0, bytes: 0 });
    // One byte near the end of it: the last block alone travels.
    large[8_500_000] = (large[8_500_000] as number) ^ 1;
    writeFileSync(at('volumes/scratch/log'), large);
    utimesSync(at('volumes/scratch/log'), 1_780_000_000, 1_780_000_000);
    await makeBackup(store, keys, source, of(3));
    large[8_500_001] = (large[8_500_001] as number) ^ 1;
    writeFileSync(at('volumes/scratch/log'), large);
    utimesSync(at('volumes/scratch/log'), 1_780_000_000, 1_780_000_000);
    const last = await makeBackup(store, keys, source, of(4));
    expect(last.sent.blocks).toBe(1);
    // Debian's tar unpacks what comes back.
    const back = spawn('tar', ['-x', '-C', at('back')], { stdio: ['pipe', 'inherit', 'inherit'] });
    await giveBack(store, keys, last.index, async ({ bytes }) => {
      if (!back.stdin.write(bytes)) await once(back.stdin, 'drain');
    });
    back.stdin.end();
    expect((await once(back, 'close'))[0]).toBe(0);
    expect(readFileSync(at('back/log')).equals(large)).toBe(true);
    expect([read('back/tides/2026'), readlinkSync(at('back/newest'))]).toEqual(['high at noon\n', 'log']);
    expect(read('praesidor/joined')).not.toContain('volume');
  });
  it.each([
    ['/var/lib/containerd/volumes/../../praesidor', 'that is no path of a volume'],
    ['/var/lib/containerd/volumes/', 'that is no path of a volume'],
    ['/etc', 'that is no path of a volume'],
    ['/var/lib/containerd/volumes/none', 'there is no /var/lib/containerd/volumes/none here'],
  ])('reads nothing else out: %s', async (path, says) => {
    await expect(hostSource(place(), path).blocks()).rejects.toThrow(says);
  });
  it('writes a volume in place of what it has: each file, mode, owner and link as it was, told block by block', async () => {
    const path = '/var/lib/containerd/volumes/scratch';
    const folder = at('volumes/scratch');
    spawnSync('chown', ['4711:4712', join(folder, 'log')]);
    spawnSync('chmod', ['2750', join(folder, 'tides')]);
    spawnSync('ln', [join(folder, 'log'), join(folder, 'hard')]);
    const archive: Buffer[] = [];
    for await (const piece of hostSource(place(), path).all()) archive.push(piece);
    const before = await hostSource(place(), path).blocks();
    const stat = () =>
      spawnSync('find', [folder, '-printf', '%P %y %m %U:%G %s %T@ %n %l\n'])
        .stdout.toString()
        .split('\n')
        .sort()
        .filter((l) => !l.startsWith(' '));
    const was = stat();
    spawnSync('sh', ['-c', `rm -rf ${folder}/tides ${folder}/.[!.]*; echo other > ${folder}/log; echo more > "${folder}/-rf *"`]);
    expect(await hostSource(place(), path).blocks()).not.toEqual(before);
    async function* sent() {
      yield* archive;
    }
    await writeOver(place(), path, sent());
    expect(stat()).toEqual(was);
    expect(await hostSource(place(), path).blocks()).toEqual(before);
    expect(readFileSync(join(folder, 'tides/2026'), 'utf8')).toBe('high at noon\n');
  });
  it('says of an archive that is cut off that it was not written whole', async () => {
    const path = '/var/lib/containerd/volumes/scratch';
    const archive: Buffer[] = [];
    for await (const piece of hostSource(place(), path).all()) archive.push(piece);
    async function* half() {
      yield Buffer.concat(archive).subarray(0, 3_000_000);
    }
    await expect(writeOver(place(), path, half())).rejects.toThrow(`${path} could not be written whole`);
    async function* whole() {
      yield* archive;
    }
    await writeOver(place(), path, whole());
  });
  it('writes nowhere else, and leaves what is there', async () => {
    async function* nothing() {}
    for (const path of ['/etc', '/var/lib/containerd/volumes/', '/var/lib/containerd/volumes/../../praesidor'])
      await expect(writeOver(place(), path, nothing())).rejects.toThrow('that is no path of a volume');
    expect(read('praesidor/joined')).toBeDefined();
  });
  it('ends what it has begun when whoever asked has gone', async () => {
    const bytes = await tarOf({
      installation: 'build 7\n',
      ...Object.fromEntries([1, 2, 3].map((n) => [`root/etc/kubernetes/pki/gone-${n}.crt`, 'it\n'])),
    });
    const leave = new AbortController();
    const lines: string[] = [];
    const restarts = () => (read('done') ?? '').split('\n').filter((l) => l === 'systemctl restart kubelet').length;
    const before = restarts();
    await expect(
      runOver(place(), 'put', bytes, {
        line: (l) => {
          lines.push(l);
          leave.abort();
        },
        signal: leave.signal,
      }),
    ).rejects.toMatchObject({ fault: 'cancelled' });
    await eventually(async () => restarts() > before, 'what reads them being started anew');
    expect([1, 2, 3].map((n) => read(`kubernetes/pki/gone-${n}.crt`))).toEqual(['it\n', 'it\n', 'it\n']);
  });

  it('leaves what is the same as it is, when it is run again', async () => {
    const ended = await run(await tarOf({ installation: 'build 7\n', 'root/etc/kubernetes/pki/kubelet.crt': 'new\n' }));
    expect([ended.code, ended.lines.filter((l) => l.startsWith('put'))]).toEqual([0, []]);
  });

  it('puts on the disk that it starts from what it starts from', async () => {
    const ended = await run(
      await tarOf({
        installation: 'build 8\n',
        'seed/user-data': '#cloud-config\n',
        'seed/meta-data': 'after\n',
        'root/etc/kubernetes/pki/kubelet.crt': 'new\n',
      }),
    );
    expect([ended.code, ended.errors]).toEqual([0, '']);
    expect([read('disk/user-data'), read('disk/meta-data'), read('disk/meta-data.new')]).toEqual([
      '#cloud-config\n',
      'after\n',
      undefined,
    ]);
  });

  it('changes nothing when what came is not whole, or breaks off', async () => {
    const files = { installation: 'build 9\n', 'root/etc/kubernetes/pki/kubelet.crt': 'broken\n' };
    const wrong = await run(await tarOf(files, false));
    expect(wrong).toMatchObject({ code: 65, errors: expect.stringContaining('nothing was changed') });
    const none = await run(await tarOf({ installation: 'build 9\n' }));
    expect(none).toMatchObject({ code: 65, errors: 'no files came: nothing was changed' });
    const half = await run((await tarOf(files)).subarray(0, 700));
    expect(half.code).not.toBe(0);
    expect([read('kubernetes/pki/kubelet.crt'), read('praesidor/joined')?.includes('build 9')]).toEqual(['new\n', false]);
  });

  it('does nothing else for that key, whatever is asked for', async () => {
    const ended = await run(Buffer.alloc(0), {}, 'cat /etc/shadow');
    expect(ended.code).not.toBe(0);
    expect(ended.lines.join('')).not.toContain('root:');
  });

  it('lets in nobody with another key or another name', async () => {
    const other = { key: (await sshKeys()).private };
    await expect(run(Buffer.alloc(0), other)).rejects.toMatchObject({ fault: 'credentials' });
    await expect(run(Buffer.alloc(0), { user: 'root' })).rejects.toMatchObject({ fault: 'credentials' });
  });

  it('makes keys that ssh reads, every one of them', async () => {
    // A public key that begins with a zero byte comes once in 256: among 2,000, none with a chance of 1 in 2,500.
    const made = await Promise.all(Array.from({ length: 2000 }, sshKeys));
    put('public', made.map((k) => `${k.public}\n`).join(''));
    const told = spawnSync('ssh-keygen', ['-l', '-f', at('public')], { encoding: 'utf8' });
    expect(told.stdout.trim().split('\n')).toHaveLength(2000);
  });

  it('is told from another machine by its key: that one is sent nothing', async () => {
    await expect(run(Buffer.alloc(0), { hostKey: (await sshKeys()).public })).rejects.toMatchObject({ fault: 'pin' });
    await expect(run(Buffer.alloc(0), { port: 1 })).rejects.toMatchObject({ fault: 'refused' });
  });
});
