import { X509Certificate } from 'node:crypto';
import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** A site's network that machines stand in: its gateway, the server, its registry and its name servers, on one bridge. */
export interface Room {
  bridge: string;
  /** Length of its prefix. */
  prefix: number;
  gateway: string;
  server: string;
  registry: string;
  resolvers: string[];
  /** What is given to machines that ask by DHCP: the first and the last address, and the mask. */
  leases: string;
}
/** Lantern Rock. */
export const room: Room = {
  bridge: 'br812',
  prefix: 25,
  gateway: '10.62.8.1',
  server: '10.62.8.2',
  registry: '10.62.8.9',
  resolvers: ['10.62.8.53', '10.62.8.54'],
  leases: '10.62.8.100,10.62.8.119,255.255.255.128',
};
/** Breakwater Hall, where guests are. */
export const hall: Room = {
  bridge: 'br400',
  prefix: 24,
  gateway: '10.40.8.1',
  server: '10.40.8.2',
  registry: '10.40.8.9',
  resolvers: ['10.40.0.53', '10.40.0.54'],
  leases: '10.40.8.200,10.40.8.219,255.255.255.0',
};

function run(command: string, args: string[], input?: string): void {
  const r = spawnSync(command, args, { encoding: 'utf8', ...(input === undefined ? {} : { input }) });
  if (r.status !== 0) throw new Error(`${command} ${args.join(' ')}: ${r.stderr || r.stdout}`);
}

/**
 * Gives the bridge the addresses that the plan has for them, and hands what is asked there on to the stand-ins, which listen on
 * loopback behind ports that are moved by `shift`.
 */
export function openRoom(shift: number, at: Room = room): void {
  for (const { bridge } of [room, hall]) spawnSync('ip', ['link', 'del', bridge]);
  run('ip', ['link', 'add', at.bridge, 'type', 'bridge']);
  run('ip', ['link', 'set', at.bridge, 'up']);
  for (const a of [at.gateway, at.server, at.registry, ...at.resolvers])
    run('ip', ['addr', 'add', `${a}/${at.prefix}`, 'dev', at.bridge]);
  for (const of of ['all', 'default', at.bridge]) run('sysctl', ['-qw', `net.ipv4.conf.${of}.route_localnet=1`]);
  const to = (address: string, protocol: string, port: number) =>
    `ip daddr ${address} ${protocol} dport ${port} dnat to ${address.replace(/^10/, '127')}:${port + shift}`;
  const rules = [...at.resolvers.flatMap((r) => [to(r, 'udp', 53), to(r, 'tcp', 53)]), to(at.registry, 'tcp', 5000)].join(
    '\n    ',
  );
  spawnSync('nft', ['delete', 'table', 'ip', 'room']);
  run(
    'nft',
    ['-f', '-'],
    `table ip room {\n  chain asked {\n    type nat hook prerouting priority -100;\n    ${rules}\n  }\n}\n`,
  );
}

/** A DHCP server; it tells firmware what to boot at `uri`, as a controller tells it by `HttpBootUri`. */
export function answerFirmware(dir: string, uri?: string, at: Room = room): ChildProcess {
  return spawn(
    'dnsmasq',
    [
      '-k',
      '--user=root',
      '--port=0',
      `--interface=${at.bridge}`,
      '--bind-interfaces',
      `--dhcp-leasefile=${join(dir, 'leases')}`,
      '--dhcp-authoritative',
      `--dhcp-range=${at.leases},1h`,
      ...(uri
        ? [
            '--dhcp-vendorclass=set:firmware,HTTPClient',
            '--dhcp-option-force=tag:firmware,60,HTTPClient',
            `--dhcp-boot=tag:firmware,${uri}`,
          ]
        : []),
    ],
    { stdio: 'ignore' },
  );
}

/** What a machine is made of. */
export interface Parts {
  mac: string;
  /** Its firmware starts by PXE before it tries HTTP. */
  pxe?: boolean;
  /** Authorities that its firmware checks servers against (PEM), as its controller was given them. */
  authorities?: string[];
  /** Further adapters, with nobody at the other end. */
  also?: string[];
  /** Where it stands; at Lantern Rock if nothing else is said. */
  at?: Room;
  memoryMiB?: number;
  /** Its drives by serial, in gigabytes; empty at first. */
  drives?: { serial: string; sizeGB: number }[];
  /** A script and what it needs, as the system made for these suites finds it: `run.sh`, and files beside it. */
  checks?: Record<string, string>;
  /** What its controller plays to it as a CD when it starts: an address, read in parts as controllers do. */
  medium?: () => string | undefined;
  /** A guest: its volumes are copies of these disks, and it is told where its first-boot data are as its serial number. */
  guest?: { disks: { serial: string; sizeGB: number; from?: string }[]; serial: string };
  /** Started without firmware: kernel, initial file system and command line. */
  direct?: { kernel: string; initrd: string; line: string };
}

/** The checks of a script in this folder, told what holds there. */
export function checksFor(script: string, told: Record<'nic' | 'address' | 'resolver' | 'domain' | 'registry', string>) {
  const read = (name: string) => readFileSync(join(import.meta.dirname, name), 'utf8');
  const values = Object.entries(told).map(([name, value]) => `export ${name}='${value}'\n`);
  return { 'run.sh': `${values.join('')}. /run/checks/${script}\n`, 'common.sh': read('common.sh'), [script]: read(script) };
}

/** A bond with LACP takes no adapter whose speed is not known. */
const link = 'speed=25000,duplex=full';

/** Certificates as firmware keeps them: one EFI_SIGNATURE_LIST each (UEFI 2.10 §32.4.1), of type EFI_CERT_X509_GUID. */
function signatureLists(pems: string[]): Buffer {
  const x509 = Buffer.from('a159c0a5e494a74a87b5ab155c2bf072', 'hex');
  return Buffer.concat(
    pems.map((pem) => {
      const { raw } = new X509Certificate(pem);
      const head = Buffer.alloc(44);
      x509.copy(head);
      head.writeUInt32LE(44 + raw.length, 16);
      head.writeUInt32LE(0, 20);
      head.writeUInt32LE(16 + raw.length, 24);
      return Buffer.concat([head, raw]);
    }),
  );
}

/** A machine without an operating system: UEFI firmware, one network adapter, drives, a serial console. Its drives outlast its power. */
export class Machine {
  private child: ChildProcess | undefined;
  readonly console: string;
  private readonly drives: string[];
  constructor(
    private readonly dir: string,
    private readonly of: Parts,
  ) {
    mkdirSync(dir, { recursive: true });
    this.console = join(dir, 'console');
    copyFileSync('/usr/share/OVMF/OVMF_VARS_4M.fd', join(dir, 'variables.fd'));
    this.drives = (of.drives ?? []).flatMap(({ serial, sizeGB }) => {
      const file = join(dir, `${serial}.img`);
      writeFileSync(file, '');
      truncateSync(file, sizeGB * 1e9);
      return [
        ...['-drive', `if=none,id=d-${serial},format=raw,discard=unmap,file=${file}`],
        ...['-device', `nvme,drive=d-${serial},serial=${serial}`],
      ];
    });
    for (const { serial, sizeGB, from } of of.guest?.disks ?? []) {
      const file = join(dir, `${serial}.qcow2`);
      run('qemu-img', ['create', '-q', '-f', 'qcow2', ...(from ? ['-b', from, '-F', 'qcow2'] : []), file, `${sizeGB}G`]);
      this.drives.push(
        ...['-drive', `if=none,id=d-${serial},format=qcow2,file=${file}`],
        ...['-device', `virtio-blk-pci,drive=d-${serial},serial=${serial}`],
      );
    }
    if (of.authorities) {
      const file = join(dir, 'authorities');
      writeFileSync(file, signatureLists(of.authorities));
      this.drives.push('-fw_cfg', `name=etc/edk2/https/cacerts,file=${file}`);
    }
    if (of.guest) this.drives.push('-smbios', `type=1,serial=${of.guest.serial.replaceAll(',', ',,')}`);
    if (of.checks) {
      const folder = join(dir, 'checks');
      mkdirSync(folder, { recursive: true });
      for (const [path, text] of Object.entries(of.checks)) {
        mkdirSync(dirname(join(folder, path)), { recursive: true });
        writeFileSync(join(folder, path), text, { mode: 0o755 });
      }
      const file = join(dir, 'checks.tar');
      run('tar', ['-c', '-b', '64', '-f', file, '-C', folder, '.']);
      this.drives.push(
        ...[
          '-drive',
          `if=none,id=checks,format=raw,readonly=on,file=${file}`,
          '-device',
          'virtio-blk-pci,drive=checks,serial=checks',
        ],
      );
    }
  }

  /** From cold; the firmware tries its own entries, its drives, and HTTP over IPv4. */
  powerOn(): void {
    const tap = `tap${this.of.mac.replaceAll(':', '').slice(-6)}`;
    spawnSync('ip', ['link', 'del', tap]);
    run('ip', ['tuntap', 'add', tap, 'mode', 'tap']);
    run('ip', ['link', 'set', tap, 'master', this.of.at?.bridge ?? room.bridge, 'up']);
    const no = [...(this.of.pxe ? [] : ['IPv4PXESupport']), 'IPv6PXESupport', 'IPv6Support'].flatMap((s) => [
      '-fw_cfg',
      `name=opt/org.tianocore/${s},string=n`,
    ]);
    const { direct } = this.of;
    const medium = this.of.medium?.();
    this.child = spawn(
      'qemu-system-x86_64',
      [
        ...['-machine', 'q35', '-accel', 'tcg,thread=multi', '-smp', '2', '-cpu', 'max', '-m', String(this.of.memoryMiB ?? 768)],
        ...['-nodefaults', '-display', 'none', '-no-reboot'],
        ...(direct
          ? ['-kernel', direct.kernel, '-initrd', direct.initrd, '-append', direct.line]
          : [
              ...no,
              ...['-drive', 'if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.fd'],
              ...['-drive', `if=pflash,format=raw,file=${join(this.dir, 'variables.fd')}`],
            ]),
        ...this.drives,
        ...(medium
          ? [
              // Under emulation the machine itself may keep a part waiting for longer than the usual five seconds.
              ...[
                '-drive',
                `if=none,id=cd,media=cdrom,readonly=on,format=raw,file.driver=http,file.url=${medium},file.timeout=60`,
              ],
              ...['-device', 'ide-cd,drive=cd,bootindex=0'],
            ]
          : []),
        ...['-netdev', `tap,id=n,ifname=${tap},script=no,downscript=no`],
        ...['-device', `virtio-net-pci,netdev=n,mac=${this.of.mac},${link},romfile=`],
        ...(this.of.also ?? []).flatMap((mac, n) => [
          ...['-netdev', `socket,id=n${n},listen=127.0.0.1:0`],
          ...['-device', `virtio-net-pci,netdev=n${n},mac=${mac},${link},romfile=`],
        ]),
        ...['-chardev', `file,id=console,path=${this.console},append=on`, '-serial', 'chardev:console'],
      ],
      { stdio: ['ignore', 'ignore', 'inherit'] },
    );
  }
  /** Whether it was started again by itself: a machine that resets ends here, and is started anew. */
  ended(): Promise<void> {
    return new Promise((done) => (this.running ? this.child?.once('exit', () => done()) : done()));
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

/**
 * Puts a machine behind its controller: what the product tells the controller switches it on and off, and a machine that resets
 * itself starts again. @returns what ends this
 */
export function control(machine: Machine, controller: () => { power: 'On' | 'Off' } | undefined): () => void {
  const timer = setInterval(() => {
    const on = controller()?.power === 'On';
    if (on && !machine.running) machine.powerOn();
    else if (!on && machine.running) machine.powerOff();
  }, 200);
  return () => clearInterval(timer);
}
