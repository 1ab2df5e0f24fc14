#!/usr/bin/env node
/*
 * `npm run system -- --out DIR [--add /path/in/the/system=FILE]… [--package NAME]…`: makes the system that machines boot, of Debian's packages:
 * kernel, initial file system and stub, a list of what is in it by digest, and all of it as an OCI image layout; and the same system
 * as a disk that guests are cast from. The same packages and files give the same bytes. What Debian does not have, the kubelet above
 * all, is added from files of the engineer's; packages that only some machines need, such as firmware of their adapters, are named beside.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  chmodSync,
  copyFileSync,
  existsSync,
  linkSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { debian } from './lib/install.mjs';
import { writeInitialFiles } from './lib/initial-files.mjs';
import { writeGuestDisk } from './lib/guest-disk.mjs';
import { fail, step } from './lib/say.mjs';

/** What a node needs, and why. A package is a line. */
const contents = {
  'linux-image-amd64': 'kernel and modules',
  'systemd-sysv': 'units of the kit',
  udev: 'adapters and disks',
  dbus: 'networkctl, resolvectl, hostnamectl',
  kmod: 'modules of the kit',
  'cloud-init': 'reads what the kit gives',
  'netplan.io': 'the network of the first request',
  'systemd-resolved': 'resolvers of the kit',
  'openssh-server': 'keys of the charter log in; the server puts files',
  sudo: 'the operator of the kit',
  containerd: 'container runtime',
  runc: 'container runtime',
  'containernetworking-plugins': 'network of pods',
  chrony: 'time servers of the site',
  curl: 'reports and the gate',
  'ca-certificates': 'TLS',
  iproute2: 'adapters',
  procps: 'sysctl',
  'iputils-ping': 'which packets come through whole',
  haproxy: 'load balancer of the API address',
  keepalived: 'API address',
  e2fsprogs: 'file systems',
  fdisk: 'partitions',
  dosfstools: 'partition that firmware reads',
  efibootmgr: 'what firmware starts first',
  'cloud-guest-utils': 'the root of a guest takes its whole volume',
  nftables: 'filter of pods',
  iptables: 'filter of pods',
  conntrack: 'filter of pods',
  ethtool: 'adapters',
  socat: 'forwarded ports of pods',
  'nfs-common': 'volumes',
  'systemd-boot-efi': 'stub that firmware loads',
  'busybox-static': 'first program of the initial file system',
};
/** Modules of machines that no node is: displays, sound, cameras, radio. */
const noModules = [
  'sound',
  ...['gpu', 'media', 'staging', 'bluetooth', 'isdn', 'iio', 'comedi', 'input/joystick', 'input/touchscreen', 'net/wireless'].map(
    (d) => `drivers/${d}`,
  ),
];
/** Files that are none of a package's, by their paths. */
const own = {
  '/usr/local/sbin/wait-for-first-boot-data': `#!/bin/sh
# First-boot data on a medium or a disk: its drive may come up later than who reads it.
grep -qE '(^| )ds=nocloud( |$)' /proc/cmdline || exit 0
tries=0
until [ -e /dev/disk/by-label/CIDATA ] || [ "$tries" = 300 ]; do
  tries=$((tries + 1))
  sleep 0.2
done
`,
  '/etc/systemd/system/cloud-init-local.service.d/data.conf': `[Unit]
After=systemd-udevd.service systemd-udev-trigger.service
Wants=systemd-udev-trigger.service
[Service]
ExecStartPre=/usr/local/sbin/wait-for-first-boot-data
`,
};
/** Started by the kit when it is their time. */
const notByThemselves = ['haproxy', 'keepalived', 'nfs-client', 'rpcbind', 'e2scrub_reap'];

const { values: options } = parseArgs({
  options: {
    out: { type: 'string' },
    add: { type: 'string', multiple: true, default: [] },
    package: { type: 'string', multiple: true, default: [] },
    mirror: { type: 'string' },
  },
});
if (!options.out) fail('Say where it goes:  npm run system -- --out DIR');
if (process.getuid?.() !== 0) fail('A system is unpacked with its owners and devices: run it as root.');
const out = resolve(options.out);
const added = options.add.map((a) => {
  const [path, file] = a.split('=');
  if (!path?.startsWith('/') || !file || !existsSync(file)) fail(`--add ${a}: a path in the system, =, and a file that is there`);
  return { path, file: resolve(file) };
});

const run = (command, args, more = {}) => {
  const r = spawnSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 28, ...more });
  if (r.status !== 0) fail(`${command}: ${(r.stderr || r.stdout || String(r.error)).trim().split('\n').slice(-3).join(' ')}`);
  return r.stdout;
};
const digestOf = (file) => run('sha256sum', [file]).slice(0, 64);

await debian({
  mmdebstrap: () => existsSync('/usr/bin/mmdebstrap'),
  'squashfs-tools-ng': () => existsSync('/usr/bin/tar2sqfs'),
  'squashfs-tools': () => existsSync('/usr/bin/unsquashfs'),
  'qemu-utils': () => existsSync('/usr/bin/qemu-img'),
  mtools: () => existsSync('/usr/bin/mcopy'),
  dosfstools: () => existsSync('/sbin/mkfs.vfat'),
});
/** Packages come from where this machine has its own. */
const mirror =
  options.mirror ??
  run('apt-get', ['indextargets', '--format', '$(SITE)', 'Created-By: Packages', 'Codename: bookworm']).split('\n')[0];
if (!mirror) fail('This machine has no source of Debian 12 packages: name one with --mirror.');
/** One time for all files: when the packages of that source were last put together. */
const epoch = Number(
  run('sh', [
    '-c',
    `cat /var/lib/apt/lists/*_dists_bookworm_InRelease | sed -n 's/^Date: //p' | head -1 | xargs -0 date +%s -d`,
  ]).trim(),
);
const work = mkdtempSync('/var/tmp/praesidor-system-');
process.on('exit', () => rmSync(work, { recursive: true, force: true }));
mkdirSync(out, { recursive: true });

const tar = join(work, 'root.tar');
/** Laid into the system: what is ours, then what the engineer brings. */
const laid = [
  ...Object.entries(own).map(([path, text], n) => {
    const file = join(work, `own-${n}`);
    writeFileSync(file, text);
    return { path, file, mode: path.includes('/sbin/') ? '0755' : '0644' };
  }),
  ...added.map((a) => ({ ...a, mode: a.path.endsWith('.crt') ? '0644' : '0755' })),
];
await step('Putting packages together', async () => {
  const unit = (name) => `"$1/etc/systemd/system/multi-user.target.wants/${name}.service"`;
  run(
    'mmdebstrap',
    [
      '--mode=root',
      '--variant=minbase',
      `--include=${[...Object.keys(contents), ...options.package].join(',')}`,
      '--aptopt=Apt::Install-Recommends "false"',
      // The initial file system is made below: the one of its package would take half a minute, and go again.
      '--essential-hook=mkdir -p "$1/usr/local/sbin"; ln -s /bin/true "$1/usr/local/sbin/update-initramfs"',
      '--customize-hook=rm "$1/usr/local/sbin/update-initramfs"',
      // No identity: each machine gets its own.
      '--customize-hook=: > "$1/etc/machine-id"; rm -f "$1"/etc/ssh/ssh_host_* "$1/etc/hostname" "$1/var/lib/dbus/machine-id"',
      `--customize-hook=rm -f ${notByThemselves.map(unit).join(' ')}`,
      // As every node has it, so that its first boot need not bring it about.
      '--customize-hook=chroot "$1" systemctl enable systemd-networkd; chroot "$1" systemctl mask swap.target',
      '--customize-hook=echo "locale: C.UTF-8" > "$1/etc/cloud/cloud.cfg.d/10-system.cfg"',
      `--customize-hook=cd "$1"/usr/lib/modules/* && rm -rf ${noModules.map((m) => `kernel/${m}`).join(' ')} && chroot "$1" depmod "$(basename "$PWD")"`,
      '--customize-hook=ln -sf ../run/systemd/resolve/stub-resolv.conf "$1/etc/resolv.conf"',
      ...laid.map(({ path, file, mode }) => `--customize-hook=install -D -m ${mode} ${JSON.stringify(file)} "$1${path}"`),
      // Authorities that were brought along are trusted like those of the package.
      '--customize-hook=ls "$1"/usr/local/share/ca-certificates/*.crt >/dev/null 2>&1 && chroot "$1" update-ca-certificates >/dev/null || true',
      // What differs from one making to the next, and nobody reads. /tmp is left alone: mmdebstrap keeps its settings there until its end,
      // and without them would tidy up this machine instead.
      '--customize-hook=rm -rf "$1"/var/log/* "$1"/var/cache/ldconfig "$1"/boot/initrd* "$1"/var/lib/systemd/random-seed',
      'bookworm',
      tar,
      mirror,
    ],
    {
      env: {
        ...process.env,
        SOURCE_DATE_EPOCH: String(epoch),
        DEBIAN_FRONTEND: 'noninteractive',
        PATH: '/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin',
      },
    },
  );
});

const squashed = join(work, 'root.squashfs');
await step('Compressing', async () => {
  run('sh', [
    '-c',
    `tar2sqfs --quiet --force --compressor zstd --comp-extra level=9 --defaults mtime=${epoch} --num-jobs 2 "${squashed}" < "${tar}"`,
  ]);
});

let packages = [];
await step('Laying out kernel, initial file system and stub', async () => {
  const root = join(work, 'some');
  run('unsquashfs', [
    '-q',
    '-n',
    '-d',
    root,
    squashed,
    'boot',
    'usr/lib/modules',
    'usr/lib/systemd/boot',
    'bin/busybox',
    'usr/bin/busybox',
    'var/lib/dpkg/status',
  ]);
  const kernel = readdirSync(join(root, 'boot')).find((f) => f.startsWith('vmlinuz-'));
  const version = kernel.slice('vmlinuz-'.length);
  const module = (path) => join(root, 'usr/lib/modules', version, 'kernel', path);
  const modules = ['drivers/block/loop.ko', 'fs/squashfs/squashfs.ko', 'fs/overlayfs/overlay.ko'];
  const busybox = ['bin/busybox', 'usr/bin/busybox'].map((p) => join(root, p)).find((p) => existsSync(p));
  const init = `#!/busybox sh
# The system is one compressed file in memory; what changes lies over it, in memory too.
/busybox mkdir -p /proc /dev /below /above /root
/busybox mount -t proc proc /proc
/busybox mount -t devtmpfs dev /dev
for module in loop squashfs overlay; do /busybox insmod /$module.ko; done
/busybox mount -t squashfs -o loop,ro /root.squashfs /below
/busybox mount -t tmpfs -o mode=0755,size=50% above /above
/busybox mkdir /above/files /above/work
/busybox mount -t overlay -o lowerdir=/below,upperdir=/above/files,workdir=/above/work root /root
/busybox umount /dev /proc
exec /busybox switch_root /root /sbin/init
`;
  copyFileSync(join(root, 'boot', kernel), join(out, 'kernel'));
  copyFileSync(join(root, 'usr/lib/systemd/boot/efi/linuxx64.efi.stub'), join(out, 'stub'));
  for (const f of ['kernel', 'stub']) chmodSync(join(out, f), 0o644);
  writeInitialFiles(join(out, 'initrd'), [
    { path: 'busybox', from: busybox, mode: 0o755 },
    { path: 'init', body: init, mode: 0o755 },
    ...modules.map((m) => ({ path: m.split('/').at(-1), from: module(m), mode: 0o644 })),
    { path: 'root.squashfs', from: squashed, mode: 0o644 },
  ]);
  packages = readFileSync(join(root, 'var/lib/dpkg/status'), 'utf8')
    .split('\n\n')
    .flatMap((p) => {
      const field = (name) => new RegExp(`^${name}: (.*)$`, 'm').exec(p)?.[1];
      return field('Package') ? [{ name: field('Package'), version: field('Version') }] : [];
    })
    .sort((a, b) => (a.name < b.name ? -1 : 1));
});

await step('Writing the disk of guests', async () => {
  writeGuestDisk({ run, work, tar, epoch, out: join(out, 'disk') });
  rmSync(tar);
});

/** Layers of the boot image, by the titles that the server asks for; guests are cast from an image of one. */
const titles = ['kernel', 'initrd', 'stub', 'contents'];
await step('Writing the list of contents, and the image', async () => {
  const file = (title) => ({ sha256: digestOf(join(out, title)), bytes: statSync(join(out, title)).size });
  writeFileSync(
    join(out, 'contents'),
    `${JSON.stringify(
      {
        made: new Date(epoch * 1000).toISOString(),
        files: Object.fromEntries(['kernel', 'initrd', 'stub', 'disk'].map((t) => [t, file(t)])),
        needs: { ...contents, ...Object.fromEntries(options.package.map((p) => [p, 'asked for'])) },
        packages,
        added: added.map(({ path, file: f }) => ({ path, sha256: digestOf(f) })),
      },
      null,
      2,
    )}\n`,
  );
  process.stdout.write(`${writeImage('image', titles)}, `);
  writeImage('disk-image', ['disk', 'contents']);
});

/** An OCI image layout with what has these titles. @returns the digest of its manifest */
function writeImage(name, layered) {
  const layout = join(out, name);
  rmSync(layout, { recursive: true, force: true });
  mkdirSync(join(layout, 'blobs/sha256'), { recursive: true });
  const blob = (body, more) => {
    const digest = createHash('sha256').update(body).digest('hex');
    writeFileSync(join(layout, 'blobs/sha256', digest), body);
    return { ...more, digest: `sha256:${digest}`, size: Buffer.byteLength(body) };
  };
  const layers = layered.map((title) => {
    const sha256 = digestOf(join(out, title));
    linkSync(join(out, title), join(layout, 'blobs/sha256', sha256));
    return {
      mediaType: 'application/octet-stream',
      digest: `sha256:${sha256}`,
      size: statSync(join(out, title)).size,
      annotations: { 'org.opencontainers.image.title': title },
    };
  });
  const config = blob('{}', { mediaType: 'application/vnd.oci.empty.v1+json' });
  const manifest = blob(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: 'application/vnd.oci.image.manifest.v1+json',
      artifactType: 'application/vnd.praesidor.system.v1',
      config,
      layers,
    }),
    { mediaType: 'application/vnd.oci.image.manifest.v1+json' },
  );
  writeFileSync(join(layout, 'oci-layout'), '{"imageLayoutVersion":"1.0.0"}');
  writeFileSync(
    join(layout, 'index.json'),
    JSON.stringify({
      schemaVersion: 2,
      manifests: [{ ...manifest, annotations: { 'org.opencontainers.image.ref.name': 'system' } }],
    }),
  );
  return manifest.digest;
}
