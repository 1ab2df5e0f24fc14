import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeInitialFiles } from './initial-files.mjs';

/** The same on every disk that is made here: each guest has one of them. */
const ids = {
  table: '7d3f5a10-4f1e-4b8b-9a55-3c1b6f2d7e01',
  boot: '7d3f5a10-4f1e-4b8b-9a55-3c1b6f2d7e02',
  root: '7d3f5a10-4f1e-4b8b-9a55-3c1b6f2d7e03',
};
const MiB = 1 << 20;
/** First partition: what firmware loads. The root begins behind it, and grows to the end of the volume at the first start. */
const boot = { at: 1 * MiB, size: 128 * MiB };
const rootAt = boot.at + boot.size;
/** What a guest finds its root by: drives of hypervisors, and the file system. */
const drivers = ['virtio_pci', 'virtio_blk', 'virtio_scsi', 'sd_mod', 'ahci', 'nvme', 'crc32c_generic', 'ext4'];

/**
 * Writes the system in `tar` as a disk that a hypervisor casts guests from (qcow2): a boot loader (UAPI.1) that firmware finds, the
 * kernel with a small initial file system, and a root that lasts. The same archive gives the same bytes.
 */
export function writeGuestDisk({ run, work, tar, epoch, out }) {
  const env = { ...process.env, SOURCE_DATE_EPOCH: String(epoch), E2FSPROGS_FAKE_TIME: String(epoch), TZ: 'UTC' };
  const root = join(work, 'guest');
  mkdirSync(root);
  run('tar', ['-x', '-p', '--numeric-owner', '-f', tar, '-C', root]);
  writeFileSync(join(root, 'etc/fstab'), `UUID=${ids.root} / ext4 errors=remount-ro 0 1\n`);
  // What is written here has the time of the system too.
  for (const path of ['etc/fstab', 'etc']) utimesSync(join(root, path), epoch, epoch);
  const kernel = readdirSync(join(root, 'boot')).find((f) => f.startsWith('vmlinuz-'));
  const loader = join(work, 'loader');
  writeLoader({ run, root, loader, version: kernel.slice('vmlinuz-'.length), kernel: join(root, 'boot', kernel), env });

  const used = Number(run('du', ['-s', '-B1', '--apparent-size', root]).split('\t')[0]);
  const size = Math.ceil((used * 1.2) / MiB + 300) * MiB;
  const system = join(work, 'guest.ext4');
  rmSync(system, { force: true });
  run(
    'mke2fs',
    [
      ...['-q', '-t', 'ext4', '-L', 'root', '-U', ids.root, '-E', `hash_seed=${ids.root},lazy_itable_init=0,nodiscard`],
      ...['-d', root, system, `${size / 1024}k`],
    ],
    { env },
  );
  settleTimes({ run, system, epoch, env });
  rmSync(root, { recursive: true, force: true });

  const disk = join(work, 'guest.raw');
  writeFileSync(disk, '');
  truncateSync(disk, rootAt + size + MiB);
  run('sfdisk', ['--quiet', disk], {
    input: [
      'label: gpt',
      `label-id: ${ids.table}`,
      `start=${boot.at / 512}, size=${boot.size / 512}, type=uefi, uuid=${ids.boot}, name="boot"`,
      `start=${rootAt / 512}, size=${size / 512}, type=linux, uuid=${ids.root}, name="root"`,
      '',
    ].join('\n'),
  });
  for (const [part, at] of [
    [loader, boot.at],
    [system, rootAt],
  ])
    run('dd', [`if=${part}`, `of=${disk}`, 'bs=1M', `seek=${at / MiB}`, 'conv=notrunc,sparse', 'status=none']);
  // Several at a time, written in their order.
  run('qemu-img', ['convert', '-c', '-O', 'qcow2', disk, out]);
  for (const file of [loader, system, disk]) rmSync(file);
}

/** The partition that firmware reads. */
function writeLoader({ run, root, loader, version, kernel, env }) {
  const files = join(root, '../loader-files');
  mkdirSync(files, { recursive: true });
  const modules = join(root, 'usr/lib/modules', version);
  const deps = new Map(
    readFileSync(join(modules, 'modules.dep'), 'utf8')
      .trim()
      .split('\n')
      .map((line) => {
        const [path, rest] = line.split(':');
        return [path, rest.trim().split(' ').filter(Boolean)];
      }),
  );
  const nameOf = (path) => path.split('/').at(-1).replace(/\.ko$/, '').replaceAll('-', '_');
  /** In the order in which they are loaded: what a module needs stands before it. */
  const ordered = [];
  const take = (path) => {
    if (ordered.includes(path)) return;
    for (const need of [...deps.get(path)].reverse()) take(need);
    ordered.push(path);
  };
  for (const driver of drivers) {
    const path = [...deps.keys()].find((p) => nameOf(p) === driver);
    if (path) take(path);
  }
  const busybox = ['bin/busybox', 'usr/bin/busybox'].map((p) => join(root, p)).find((p) => existsSync(p));
  const init = `#!/busybox sh
# Finds the root and hands over to it.
/busybox mkdir -p /proc /sys /dev /root
/busybox mount -t proc proc /proc
/busybox mount -t sysfs sysfs /sys
/busybox mount -t devtmpfs dev /dev
for module in ${ordered.map(nameOf).join(' ')}; do /busybox insmod /$module.ko 2> /dev/null; done
until root=$(/busybox findfs UUID=${ids.root} 2> /dev/null); do /busybox sleep 0.2; done
/busybox mount -t ext4 "$root" /root || exec /busybox sh
/busybox umount /dev /sys /proc
exec /busybox switch_root /root /sbin/init
`;
  writeInitialFiles(join(files, 'initrd'), [
    { path: 'busybox', from: busybox, mode: 0o755 },
    { path: 'init', body: init, mode: 0o755 },
    ...ordered.map((m) => ({ path: `${nameOf(m)}.ko`, from: join(modules, m), mode: 0o644 })),
  ]);
  writeFileSync(
    join(files, 'system.conf'),
    'title Praesidor\nlinux /kernel\ninitrd /initrd\noptions console=tty0 console=ttyS0\n',
  );
  writeFileSync(join(files, 'loader.conf'), 'timeout 0\n');
  rmSync(loader, { force: true });
  writeFileSync(loader, '');
  truncateSync(loader, boot.size);
  run('/sbin/mkfs.vfat', ['--invariant', '-F', '32', '-s', '1', '-n', 'BOOT', '-i', '7d3f5a10', loader]);
  const tools = { env };
  run('mmd', ['-i', loader, '::EFI', '::EFI/BOOT', '::loader', '::loader/entries'], tools);
  for (const [from, to] of [
    [join(root, 'usr/lib/systemd/boot/efi/systemd-bootx64.efi'), 'EFI/BOOT/BOOTX64.EFI'],
    [kernel, 'kernel'],
    [join(files, 'initrd'), 'initrd'],
    [join(files, 'loader.conf'), 'loader/loader.conf'],
    [join(files, 'system.conf'), 'loader/entries/system.conf'],
  ])
    run('mcopy', ['-i', loader, from, `::${to}`], tools);
  rmSync(files, { recursive: true });
}

/** The times at which this machine unpacked the files are none of the system's: each file gets the time of the system instead. */
export function settleTimes({ run, system, epoch, env }) {
  const told = run('dumpe2fs', [system]);
  const inodes = Number(/^Inode count: +(\d+)$/m.exec(told)?.[1]);
  const free = new Set();
  for (const [, list] of told.matchAll(/^ +Free inodes: (.*)$/gm))
    for (const range of list.split(', ').filter(Boolean)) {
      const [first, last = first] = range.split('-').map(Number);
      for (let n = first; n <= last; n++) free.add(n);
    }
  const commands = [];
  for (let n = 2; n <= inodes; n++)
    if (!free.has(n) && (n === 2 || n > 10))
      for (const field of ['ctime', 'atime', 'crtime'])
        commands.push(`sif <${n}> ${field} @${epoch}`, `sif <${n}> ${field}_extra 0`);
  run('debugfs', ['-w', '-f', '-', system], { env, input: `${commands.join('\n')}\n` });
}
