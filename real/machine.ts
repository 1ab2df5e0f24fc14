import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** The room that the machines stand in: its gateway, the server, its registry and its name servers, on one bridge. */
export const room = {
  bridge: 'br812',
  prefix: 25,
  server: '10.62.8.2',
  registry: '10.62.8.9',
  resolvers: ['10.62.8.53', '10.62.8.54'],
};

function run(command: string, args: string[], input?: string): void {
  const r = spawnSync(command, args, { encoding: 'utf8', ...(input === undefined ? {} : { input }) });
  if (r.status !== 0) throw new Error(`${command} ${args.join(' ')}: ${r.stderr || r.stdout}`);
}

/**
 * Gives the bridge the addresses that the plan has for them, and hands what is asked there on to the stand-ins, which listen on
 * loopback behind ports that are moved by `shift`.
 */
export function openRoom(shift: number): void {
  spawnSync('ip', ['link', 'del', room.bridge]);
  run('ip', ['link', 'add', room.bridge, 'type', 'bridge']);
  run('ip', ['link', 'set', room.bridge, 'up']);
  for (const a of ['10.62.8.1', room.server, room.registry, ...room.resolvers])
    run('ip', ['addr', 'add', `${a}/${room.prefix}`, 'dev', room.bridge]);
  for (const of of ['all', 'default', room.bridge]) run('sysctl', ['-qw', `net.ipv4.conf.${of}.route_localnet=1`]);
  const to = (address: string, protocol: string, port: number) =>
    `ip daddr ${address} ${protocol} dport ${port} dnat to ${address.replace(/^10/, '127')}:${port + shift}`;
  const rules = [...room.resolvers.flatMap((r) => [to(r, 'udp', 53), to(r, 'tcp', 53)]), to(room.registry, 'tcp', 5000)].join(
    '\n    ',
  );
  spawnSync('nft', ['delete', 'table', 'ip', 'room']);
  run(
    'nft',
    ['-f', '-'],
    `table ip room {\n  chain asked {\n    type nat hook prerouting priority -100;\n    ${rules}\n  }\n}\n`,
  );
}

/** A DHCP server that tells firmware what to boot, as a controller tells it by `HttpBootUri`. */
export function answerFirmware(dir: string, uri: string): ChildProcess {
  return spawn(
    'dnsmasq',
    [
      '-k',
      '--user=root',
      '--port=0',
      `--interface=${room.bridge}`,
      '--bind-interfaces',
      `--dhcp-leasefile=${join(dir, 'leases')}`,
      '--dhcp-authoritative',
      '--dhcp-range=10.62.8.100,10.62.8.119,255.255.255.128,1h',
      '--dhcp-vendorclass=set:firmware,HTTPClient',
      '--dhcp-option-force=tag:firmware,60,HTTPClient',
      `--dhcp-boot=tag:firmware,${uri}`,
    ],
    { stdio: 'ignore' },
  );
}

/** A machine without an operating system: UEFI firmware, one network adapter, a serial console. */
export class Machine {
  private child: ChildProcess | undefined;
  readonly console: string;
  constructor(
    private readonly dir: string,
    private readonly mac: string,
    private readonly memoryMiB = 768,
  ) {
    mkdirSync(dir, { recursive: true });
    this.console = join(dir, 'console');
    copyFileSync('/usr/share/OVMF/OVMF_VARS_4M.fd', join(dir, 'variables.fd'));
  }

  /** From cold; the firmware tries nothing but HTTP over IPv4. */
  powerOn(): void {
    const tap = `tap${this.mac.replaceAll(':', '').slice(-6)}`;
    spawnSync('ip', ['link', 'del', tap]);
    run('ip', ['tuntap', 'add', tap, 'mode', 'tap']);
    run('ip', ['link', 'set', tap, 'master', room.bridge, 'up']);
    const no = ['IPv4PXESupport', 'IPv6PXESupport', 'IPv6Support'].flatMap((s) => [
      '-fw_cfg',
      `name=opt/org.tianocore/${s},string=n`,
    ]);
    this.child = spawn(
      'qemu-system-x86_64',
      [
        ...[
          '-machine',
          'q35,accel=tcg',
          '-cpu',
          'max',
          '-m',
          String(this.memoryMiB),
          '-nodefaults',
          '-display',
          'none',
          '-no-reboot',
        ],
        ...no,
        ...['-drive', 'if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.fd'],
        ...['-drive', `if=pflash,format=raw,file=${join(this.dir, 'variables.fd')}`],
        ...['-netdev', `tap,id=n,ifname=${tap},script=no,downscript=no`],
        ...['-device', `virtio-net-pci,netdev=n,mac=${this.mac},romfile=`],
        ...['-serial', `file:${this.console}`],
      ],
      { stdio: 'ignore' },
    );
  }
  powerOff(): void {
    this.child?.kill('SIGKILL');
  }
  /** What stood on the serial console so far, without the codes that move a cursor. */
  said(): string {
    try {
      // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what is taken out
      return readFileSync(this.console, 'latin1').replace(/\x1b\[[0-9;?]*[a-zA-Z]|\r/g, '');
    } catch {
      return '';
    }
  }
  get running(): boolean {
    return this.child?.exitCode === null && this.child.signalCode === null;
  }
}
