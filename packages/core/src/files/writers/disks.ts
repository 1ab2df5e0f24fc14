import { type DiskUse, disksOf, marksOf } from '../../charter/disks.ts';
import { diskNotEmpty } from '../../schedule/decisions.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import { identifier } from '../../model/identifier.ts';
import { type KitContext, type NodeFile, nodeFile, type NodeWriter } from '../kit.ts';

/** What must outlast a power cut: where it is found, and the disk it lies on when a disk of its own is there for it. */
const lasting: { at: string; folder: string; own?: DiskUse }[] = [
  { at: '/var/lib/containerd', folder: 'containerd', own: 'containers' },
  { at: '/var/lib/etcd', folder: 'etcd', own: 'etcd' },
  { at: '/var/lib/kubelet', folder: 'kubelet' },
];
/** Where the system's disk lies: the node's memory of itself. */
const memory = '/var/lib/praesidor';

/**
 * Identifiers of a node's disks and file systems: made from the change that laid them out, so that what another one left is never taken for
 * its own, and a host that is only installed anew keeps what is on them.
 */
const laidOutBy = (ctx: KitContext, host: string) => ctx.laidOutBy?.(host) ?? ctx.installation;
const idOf = (ctx: KitContext, node: PlannedNode, what: string) =>
  identifier(`${laidOutBy(ctx, node.host)} ${node.host} ${what}`);
/** The machine's own (machine-id(5)): the same at every start, though its root lies in memory. */
export const machineId = (ctx: KitContext, host: string): string =>
  identifier(`${laidOutBy(ctx, host)} ${host} machine`).replaceAll('-', '');

/** A unit that mounts (systemd.mount(5)); its name is the path, dashes for slashes. */
function mountUnit(ctx: KitContext, at: string, what: string, options: string[], needs?: string): NodeFile {
  return nodeFile(
    `/etc/systemd/system/${at.slice(1).replaceAll('/', '-')}.mount`,
    [
      '[Unit]',
      `Description=What ${ctx.plan.charter.name} keeps in ${at}`,
      ...(needs ? [`RequiresMountsFor=${needs}`] : []),
      'Before=containerd.service kubelet.service',
      '',
      '[Mount]',
      `What=${what}`,
      `Where=${at}`,
      ...options,
      '',
      '[Install]',
      'WantedBy=multi-user.target',
    ].join('\n'),
    ['host.facts.disks', 'build'],
  );
}

/**
 * The disks of a node: which is for what, by what its controller says of them; the script that lays them out; a unit for each
 * thing that must outlast a power cut. The root of a machine lies in memory and is made of its first-boot data at every start: what
 * it starts from lies on the first partition of its system disk, where firmware finds the program and cloud-init its data.
 */
export const disks: NodeWriter = {
  name: 'disks',
  write: (ctx, node) => {
    const planned = disksOf(node);
    const has = (use: DiskUse) => planned.some((p) => p.use === use);
    const system = has('system');
    const rows = planned.map(({ use, disk }) => {
      const { serial, wwn } = marksOf(disk);
      return [use, serial || '-', wwn || '-', idOf(ctx, node, use), idOf(ctx, node, `${use} files`), disk.bay].join(' ');
    });
    const byId = (use: DiskUse) => `/dev/disk/by-uuid/${idOf(ctx, node, `${use} files`)}`;
    const files = ['Type=ext4', 'Options=noatime'];
    const units = [
      ...(system ? [mountUnit(ctx, memory, byId('system'), files)] : []),
      ...lasting.flatMap(({ at, folder, own }) =>
        own && has(own)
          ? [mountUnit(ctx, at, byId(own), files)]
          : system
            ? [mountUnit(ctx, at, `${memory}/${folder}`, ['Type=none', 'Options=bind'], memory)]
            : [],
      ),
    ];
    const names = units.map((u) => u.path.split('/').at(-1) as string);
    const folders = system ? lasting.filter((l) => !l.own || !has(l.own)).map((l) => l.folder) : [];
    return [
      nodeFile('/etc/praesidor/disks', rows.join('\n'), ['host.facts.disks', 'build']),
      ...units,
      nodeFile(
        '/usr/local/sbin/praesidor-disks',
        planned.length
          ? script(ctx, node, names, folders, system)
          : `#!/bin/sh\n# ${node.host} has one disk, which was written from its image.\n`,
        ['host.facts.disks', 'build'],
        { mode: '0755' },
      ),
    ];
  },
};

const script = (ctx: KitContext, node: PlannedNode, units: string[], folders: string[], system: boolean) => `#!/bin/sh
# Lays out the disks of ${node.host} and mounts what must outlast a power cut. It may be run again: what is there is kept.
# A disk that holds anything else is erased only when the build says so.
set -eu
. /etc/praesidor/boot.env
said=
# What is wrong, and its name where it has one.
stop() {
  said=yes
  praesidor-report "\${2:-disks}" finish FAIL "$1"
  exit 1
}
# Whatever else goes wrong is said too.
doing="reading which disks there are"
trap '[ "$?" = 0 ] || [ -n "$said" ] || praesidor-report disks finish FAIL "it broke off while $doing; its journal says why"' EXIT
${
  system
    ? `# Its root lies in memory: it is laid out while it starts over the network or from a medium, and only read when it starts from its disk.
seed=$(sed -n 's/.*\\(ds=nocloud-net;s\\|praesidor\\.files\\)=\\([^ ]*\\).*/\\2/p' /proc/cmdline)
may_lay_out() { [ -n "$seed" ]; }`
    : `may_lay_out() { true; }`
}

# Every disk: path, serial and WWN, the last two as letters and digits.
disks=$(lsblk --nodeps --noheadings --pairs --output PATH,SERIAL,WWN | awk -F '"' '{
  s = tolower($4); w = tolower($6); sub(/^(0x|naa\\.|eui\\.)/, "", w)
  gsub(/[^a-z0-9]/, "", s); gsub(/[^a-z0-9]/, "", w); print $2, s ? s : "?", w ? w : "?" }')
# The disk with this serial or this WWN.
find_disk() { echo "$disks" | awk -v s="$1" -v w="$2" '$2 == s || $3 == w { print $1 }'; }
# What is on a disk and its partitions, in words.
held() {
  lsblk --noheadings --output PATH "$1" | while read -r path; do
    wipefs --noheadings --output TYPE,LABEL "$path" | sed 's/  */ /g; s/ *$//'
  done | sort -u | tr '\\n' ',' | sed 's/,$//; s/,/, /g'
}
value() { blkid --probe --match-tag "$2" --output value "$1" || true; }
wait_for() {
  udevadm settle
  for _ in 1 2 3 4 5 6 7 8 9 10; do
    [ -e "$1" ] && return
    sleep 1
  done
  stop "$1 does not come up"
}
# An ext4 file system with this identifier; one that is there is looked through after a power cut.
file_system() {
  if [ "$(value "$1" UUID)" = "$2" ]; then
    fsck.ext4 -p "$1" > /run/praesidor-fsck.log 2>&1 || [ "$?" -le 1 ] || stop "the file system of $3 is damaged: $(tail -n 1 /run/praesidor-fsck.log)"
  elif may_lay_out; then
    mkfs.ext4 -q -F -U "$2" -L "$3" "$1"
  else
    stop "the file system of $3 is gone"
  fi
}

while read -r use serial wwn table files bay; do
  doing="laying out $bay ($use)"
  disk=$(find_disk "$serial" "$wwn")
  [ -n "$disk" ] || stop "no disk has the serial $serial or the WWN $wwn of $bay ($use)"
  [ "$(echo "$disk" | wc -l)" = 1 ] || stop "two disks have the serial of $bay ($use): $(echo $disk)"
  if [ "$(value "$disk" PTUUID)" != "$table" ]; then
    there=$(held "$disk")
    may_lay_out || stop "$bay ($use) holds another table of partitions\${there:+: $there}"
    if [ -n "$there" ]; then
      [ "\${ERASE:-no}" = yes ] || stop "$bay ($use) is not empty, it holds $there" ${diskNotEmpty}
      praesidor-report disks progress SUCCESS "$bay ($use) is erased: $there"
      lsblk --noheadings --output PATH "$disk" | sort -r | while read -r path; do wipefs --quiet --all --force "$path"; done
    fi
    {
      echo "label: gpt"
      echo "label-id: $table"
      if [ "$use" = system ]; then echo 'size=2GiB, type=uefi, name="boot"'; fi
      echo "uuid=$files, name=\\"${ctx.plan.charter.name} ${node.host} $use\\""
    } | sfdisk --quiet --wipe always "$disk"
  fi
  part=/dev/disk/by-partuuid/$files
  wait_for "$part"
  file_system "$part" "$files" "$use"
  if may_lay_out; then praesidor-report disks progress SUCCESS "$bay ($use): \${disk##*/}"; fi
done < /etc/praesidor/disks
${system ? boot : ''}
doing="mounting"
udevadm settle
systemctl stop containerd
# One command for all of them: each has the units read again, which takes its time.
systemctl enable --quiet ${units.join(' ')}
systemctl start ${units[0]}
${folders.length ? `mkdir -p ${folders.map((f) => `${memory}/${f}`).join(' ')}\n` : ''}${units.length > 1 ? `systemctl start ${units.slice(1).join(' ')}\n` : ''}[ -e ${memory}/joined ] || praesidor-report disks finish SUCCESS "${system ? 'laid out, and starts from its own disk' : 'laid out'}"
`;

/** What firmware and cloud-init find on the first partition of the system's disk. */
const boot = `
if may_lay_out; then
  doing="writing what it starts from"
  system=$(sed -n 's/^system [^ ]* [^ ]* \\([^ ]*\\) .*/\\1/p' /etc/praesidor/disks)
  first=$(lsblk --noheadings --output PATH,PTUUID,PARTLABEL | awk -v id="$system" '$2 == id && $3 == "boot" { print $1 }')
  [ "$(value "$first" LABEL)" = CIDATA ] || mkfs.vfat -F 32 -n CIDATA "$first" > /dev/null
  mkdir -p /run/praesidor-first
  fsck.vfat -a "$first" > /dev/null 2>&1 || true
  mount -t vfat -o umask=0077 "$first" /run/praesidor-first
  cd /run/praesidor-first
  mkdir -p EFI/BOOT
  for file in user-data meta-data network-config; do
    curl -fsS --retry 5 --retry-connrefused -o "$file.new" "$seed$file" || stop "$file cannot be fetched"
    mv "$file.new" "$file"
  done
  # The program is some hundred megabytes: it is fetched again only when it is another.
  [ -s EFI/BOOT/BOOTX64.EFI ] || rm -f EFI/BOOT/tag
  curl -fsS --retry 5 --retry-connrefused --etag-compare EFI/BOOT/tag --etag-save EFI/BOOT/tag.new -o EFI/BOOT/program.new "\${seed}disk.efi" || stop "the program that it starts from cannot be fetched"
  sync
  if [ -s EFI/BOOT/program.new ]; then
    mv EFI/BOOT/program.new EFI/BOOT/BOOTX64.EFI
    mv EFI/BOOT/tag.new EFI/BOOT/tag
  fi
  rm -f EFI/BOOT/program.new EFI/BOOT/tag.new
  cd /
  umount /run/praesidor-first
  # Firmware finds the program by its name on this disk; an entry of its own, in place of an older one, puts it before everything else.
  if [ -d /sys/firmware/efi/efivars ]; then
    for old in $(efibootmgr | sed -n 's/^Boot\\(....\\)[* ] *Praesidor.*/\\1/p'); do efibootmgr --quiet --bootnum "$old" --delete-bootnum || true; done
    efibootmgr --quiet --create --disk "/dev/$(lsblk --noheadings --output PKNAME "$first")" --part 1 --label Praesidor --loader '\\EFI\\BOOT\\BOOTX64.EFI' || true
  fi
fi
`;
