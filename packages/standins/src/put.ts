import { connect, type Server, type Socket } from 'node:net';
import { formatPrefix, holds, parseIp, parsePrefix, prefixRange } from '@praesidor/core/address';
import { mapAddress } from '@praesidor/protocols/dial';
import { fileSystemAt, rowsOf } from './disks.ts';
import { type LoginAccount, maySudo, type Ran, sshd } from './login.ts';
import type { Machine } from './machine.ts';
import type { Installed } from './node.ts';
import { readVolume, writeVolume } from './folders.ts';
import { filesIn, isWhole } from './sent.ts';

const joinedFile = '/var/lib/praesidor/joined';

/** How a machine gets to an address: its kernel's way there (ip-route(8)), and whether somebody takes a connection. */
async function gets(m: Machine, me: Installed, asked: string, probes: boolean): Promise<string[]> {
  const [address = '', port = ''] = asked.trim().split(' ');
  const networks = Object.entries(me.files).filter(
    ([path]) => path.startsWith('/etc/systemd/network/') && path.endsWith('.network'),
  );
  const field = (key: string) =>
    networks.flatMap(([, text]) => [...text.matchAll(new RegExp(`^${key}=(\\S+)$`, 'gm'))].map((x) => x[1] ?? ''));
  const onLink = field('Address').some((a) => holds(prefixRange(parsePrefix(around(a))), parseIp(address)));
  const via = field('Gateway').find((g) => g.includes(':') === address.includes(':'));
  const way = onLink ? `${address} dev eno1` : via ? `${address} via ${via} dev eno1` : '';
  if (!way) return ['way ', 'tcp 7 0.000000'];
  const at = mapAddress(m.around.addressMap, address, Number(port));
  const began = performance.now();
  const answered = await new Promise<boolean>((done) => {
    const socket = connect({ host: at.host, port: at.port, timeout: 3000 });
    const end = (is: boolean) => {
      socket.destroy();
      done(is);
    };
    socket.once('connect', () => end(true));
    socket.once('error', () => end(false));
    socket.once('timeout', () => end(false));
  });
  const took = answered ? Math.max(0.000_1, (performance.now() - began) / 1000) : 0;
  return [
    `way ${way} src ${me.address} uid 0`,
    'mtu 1500',
    `tcp ${answered ? 28 : 7} ${took.toFixed(6)}`,
    // Who takes connections answers probes too, on one link of Ethernet.
    ...(probes && answered ? ['pmtu 1500'] : []),
  ];
}
/** The prefix that an address with its length lies in. */
function around(text: string): string {
  const [address = '', length = '32'] = text.split('/');
  const ip = parseIp(address);
  const keep = BigInt((ip.v === 4 ? 32 : 128) - Number(length));
  return formatPrefix({ v: ip.v, n: (ip.n >> keep) << keep, length: Number(length) });
}

/**
 * What somebody's command does to a machine that runs: the one program of its kit that sudo lets it run. Where the program leaves something out, it is not
 * done: nothing is checked, the disk that it starts from stays as it was, what is not started anew goes on with what it has read.
 */
export async function runOn(m: Machine, me: Installed, command: string, account: LoginAccount, input: Buffer): Promise<Ran> {
  const program = /^sudo -n (\S+)$/.exec(command)?.[1];
  if (!program) return { code: 127, lines: [], errors: `sh: 1: ${command.split(' ')[0]}: not found` };
  if (!maySudo(account.sudo, program)) return { code: 1, lines: [], errors: 'sudo: a password is required' };
  const script = me.files[program];
  if (script === undefined) return { code: 1, lines: [], errors: `sudo: ${program}: command not found` };
  if (m.putting && /^flock -n 9 \|\| \{ echo ".*" >&2; exit 75; \}$/m.test(script))
    return { code: 75, lines: [], errors: 'files are being put on this host already' };
  const written = /^write volume (\S+)\n/.exec(input.subarray(0, 512).toString())?.[1];
  if (written !== undefined && /^dd bs=512 count=1 .*of="\$new\/head"$/m.test(script))
    return writeVolume(m, me, script, written, input.subarray(512));
  const files = await filesIn(input).catch(() => new Map<string, string>());
  if (!isWhole(files) && /^sha256sum .*--check SHA256SUMS/m.test(script))
    return { code: 65, lines: [], errors: 'what came is not whole: nothing was changed' };
  const reach = files.get('reach');
  if (reach !== undefined && /^if \[ -f reach \]; then$/m.test(script))
    return { code: 0, lines: await gets(m, me, reach, /^ *echo "pmtu /m.test(script)) };
  const volume = files.get('volume');
  if (volume !== undefined && /^if \[ -f volume \]; then$/m.test(script))
    return readVolume(m, me, script, volume, files.get('wanted') ?? '');
  if (/^\[ -d root \] \|\|/m.test(script) && ![...files.keys()].some((name) => name.startsWith('root/')))
    return { code: 65, lines: [], errors: 'no files came: nothing was changed' };
  const kept = fileSystemAt(m.disks, me.files, joinedFile);
  if (kept ? !kept.files[joinedFile] : !me.joined)
    return { code: 69, lines: [], errors: 'this host has not joined yet: nothing was changed' };
  const lines: string[] = [];
  const table = rowsOf(me.files).find((r) => r.use === 'system')?.table;
  const disk = [...m.disks.values()].find((d) => d.table === table);
  const below = (folder: string) =>
    [...files].flatMap(([name, text]) => (name.startsWith(`${folder}/`) ? [[name.slice(folder.length), text] as const] : []));
  if (below('seed').length) {
    if (!disk?.start) return { code: 72, lines, errors: 'the disk that this host starts from is not there' };
    if (/^ *mount -t vfat /m.test(script))
      disk.start = {
        ...disk.start,
        data: { ...disk.start.data, ...Object.fromEntries(below('seed').map(([n, t]) => [n.slice(1), t])) },
      };
    lines.push('put where the host starts from');
  }
  for (const [path, text] of below('root'))
    if (me.files[path] !== text) {
      me.files[path] = text;
      lines.push(`put ${path}`);
    }
  const installation = files.get('installation')?.trim() ?? '';
  if (kept && /> "\$joined/.test(script)) kept.files[joinedFile] = installation;
  await m.clock.sleep(5, undefined);
  const anew = /^for name in (.*); do$/m.exec(script)?.[1]?.replaceAll("'", '').split(' ') ?? [];
  const programs = [...(/^systemctl restart kubelet$/m.test(script) ? ['kubelet'] : []), ...anew];
  m.around.cluster.restarted(m, programs);
  return { code: 0, lines: [...lines, ...programs.map((p) => `started anew: ${p}`)] };
}

/** sshd of a system that runs, at its own address; it goes with the system. */
export function openLogin(m: Machine, me: Installed, signal: AbortSignal): void {
  if (!me.login || signal.aborted) return;
  const at = mapAddress(m.around.addressMap, me.address, 22);
  let server: Server;
  try {
    server = sshd(
      me.login,
      (command, account, input) => runOn(m, me, command, account, input),
      () => m.faults.has('ssh-silent', m.hardware.name),
    );
  } catch {
    // It ends at once where it has no key that it can read; the system goes on without it.
    m.note('sshd: no hostkeys available -- exiting', 'Critical');
    return;
  }
  server.on('error', () => undefined);
  server.listen(at.port, at.host);
  const open = new Set<Socket>();
  server.on('connection', (socket) => {
    open.add(socket);
    socket.on('close', () => open.delete(socket));
  });
  signal.addEventListener(
    'abort',
    () => {
      server.close();
      for (const socket of open) socket.destroy();
    },
    { once: true },
  );
}
