#!/bin/sh
# Runs in an emulated machine with three drives and two adapters: the scripts of the kit with the programs of the system.
say() { echo "CHECK $*" > /dev/ttyS0; }
check() {
  if out=$(timeout 120 sh -c "$2" 2>&1); then say "PASS $1"; else say "FAIL $1: $(echo "$out" | tail -n 4 | tr '\n' ' ' | tail -c 400)"; fi
}
cd /run/checks
ssh-keygen -A > /dev/null
cp -a root/. /
chmod 0755 /usr/local/sbin/*
# Who listens: reports are put down, what is fetched is a file.
cat > /usr/local/sbin/praesidor-report << 'END'
#!/bin/sh
echo "$*" >> /run/reports
END
cat > /usr/local/sbin/curl << 'END'
#!/bin/sh
while [ $# -gt 0 ]; do
  case $1 in
    -o) out=$2; shift ;;
    --etag-save) tag=$2; shift ;;
    --etag-compare) had=$2; shift ;;
  esac
  url=$1
  shift
done
[ -z "$tag" ] || [ ! -s "$had" ] || exit 0
[ ! -e /run/unreachable ] || exit 7
echo "what is at ${url##*/}" > "$out"
[ -z "$tag" ] || echo one > "$tag"
END
chmod 0755 /usr/local/sbin/praesidor-report /usr/local/sbin/curl
export PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
# The script asks the command line whether it starts over the network: here a file says so.
sed -i 's#/proc/cmdline#/run/line#' /usr/local/sbin/praesidor-disks
network() { echo 'ds=nocloud-net;s=http://10.62.8.2/boot/t/' > /run/line; }
disk() { echo 'ds=nocloud' > /run/line; }
again() {
  systemctl stop containerd
  umount -q /var/lib/containerd /var/lib/etcd /var/lib/kubelet /var/lib/praesidor || true
  : > /run/reports
}
# What carries the machine network, as a kit has it: up to where its script comes to the disks.
cat > /usr/local/sbin/carry << 'END'
#!/bin/sh
for link in bond0.812 eno1.812 bond0; do ip link del "$link" 2> /dev/null; done
rm -f /etc/systemd/network/*
mkdir -p /etc/systemd/network
cp "$1"/etc/systemd/network/* /etc/systemd/network/
sed '/^praesidor-disks$/,$d' "$1/usr/local/sbin/praesidor-prepare" > /run/prepare
sh /run/prepare
END
cat > /usr/local/sbin/addressed << 'END'
#!/bin/sh
for _ in 1 2 3 4 5 6 7 8 9 10; do ip -4 -o addr show "$1" | grep -q "$2" && exit; sleep 1; done
ip addr
exit 1
END
chmod 0755 /usr/local/sbin/carry /usr/local/sbin/addressed
{
  ip link set "$(basename "$(dirname "$(grep -l 52:8a:1c:40:01:02 /sys/class/net/*/address)")")" name odd0 || true
  address=$(sed -n 's/^Address=//p' tagged/etc/systemd/network/*.network | head -n 1)
  export address
  check 'a tag: the address lies on the tagged interface' 'carry tagged && addressed eno1.812 "$address" && ip -d link show eno1.812 | grep "id 812" && ! ip -4 -o addr show eno1 | grep inet'
  check 'run again, it is the same' 'sh /run/prepare && addressed eno1.812 "$address"'
  check 'a bond of which one leads: both adapters are in it, under their names' 'carry standby && addressed bond0 "$address" && grep -q active-backup /sys/class/net/bond0/bonding/mode && [ "$(tr " " "\n" < /sys/class/net/bond0/bonding/slaves | sort | tr "\n" " ")" = "eno1 eno2 " ]'
  check 'the first adapter leads, and its address is that of the bond' 'grep eno2 /sys/class/net/bond0/bonding/primary && grep 52:8a:1c:40:01:02 /sys/class/net/bond0/address'
  check 'run again, the bond is the same' 'sh /run/prepare && addressed bond0 "$address" && grep -q eno1 /sys/class/net/bond0/bonding/slaves'
  check 'a tag on a bond with LACP' 'carry lacp && addressed bond0.812 "$address" && grep -q 802.3ad /sys/class/net/bond0/bonding/mode && grep -q fast /sys/class/net/bond0/bonding/lacp_rate && ip -d link show bond0.812 | grep "id 812"'
  check 'the route to everything else goes over it' 'ip route; ip route show default | grep bond0.812'
  on() { lsblk --nodeps --noheadings --output PATH,SERIAL | awk -v s="$1" '$2 == s { print $1 }'; }
  SYSTEM=$(on HW1-D1); CONTAINERS=$(on HW1-D2); MEMBERS=$(on HW1-D3); export SYSTEM CONTAINERS MEMBERS
  disk
  check 'started from a disk, nothing is laid out' '! praesidor-disks; tail -n 1 /run/reports | grep "disks finish FAIL bay 1 (system) holds another table of partitions" && [ -z "$(wipefs --noheadings "$SYSTEM")" ]'
  network
  mkfs.ext4 -q -L archive "$CONTAINERS"
  again
  check 'a disk that holds a file system is not erased' '! praesidor-disks; tail -n 1 /run/reports | grep "disk-not-empty finish FAIL bay 2 (containers) is not empty, it holds ext4 archive" && blkid --probe "$CONTAINERS" | grep archive'
  sed -i 's/^ERASE=.*/ERASE="yes"/' /etc/praesidor/boot.env
  again
  check 'it is erased when the build says so, and all are laid out' 'praesidor-disks && grep "progress SUCCESS bay 2 (containers) is erased: ext4 archive" /run/reports && tail -n 1 /run/reports | grep "disks finish SUCCESS"'
  sed -i 's/^ERASE=.*/ERASE="no"/' /etc/praesidor/boot.env
  check 'containers and members have disks of their own' 'findmnt -no SOURCE /var/lib/containerd | grep "^${CONTAINERS}p1" && findmnt -no SOURCE /var/lib/etcd | grep "^${MEMBERS}p1" && findmnt -no SOURCE /var/lib/kubelet | grep "^${SYSTEM}p2"'
  check 'the runtime runs on its disk' 'systemctl start containerd && systemctl is-active containerd && [ -d /var/lib/containerd/io.containerd.content.v1.content ]'
  check 'firmware finds the program, cloud-init its data' 'mount -o ro "${SYSTEM}p1" /mnt && grep disk.efi /mnt/EFI/BOOT/BOOTX64.EFI && grep user-data /mnt/user-data && grep network-config /mnt/network-config && umount /mnt && [ "$(blkid --probe --match-tag LABEL --output value "${SYSTEM}p1")" = CIDATA ]'
  check 'the tables are what is said of them' 'sfdisk --verify --quiet "$SYSTEM" && sfdisk --dump "$SYSTEM" | grep -i "type=C12A7328-F81F-11D2-BA4B-00A0C93EC93B" && sfdisk --dump "$CONTAINERS" | grep "name=\"plover lr-01 containers\""'
  echo kept > /var/lib/etcd/probe; echo kept > /var/lib/kubelet/probe
  sync
  again
  check 'run again, everything is kept' 'praesidor-disks && grep kept /var/lib/etcd/probe && grep kept /var/lib/kubelet/probe && ! grep erased /run/reports'
  again
  disk
  touch /run/unreachable
  check 'started from its disk, nothing is fetched' 'praesidor-disks && grep kept /var/lib/etcd/probe'
  rm -f /run/unreachable
  again
  network
  # As after a power cut between the table and its file systems, and in the middle of the first partition.
  dd if=/dev/zero of="${MEMBERS}p1" bs=1M count=4 status=none; mount "${SYSTEM}p1" /mnt; rm -f /mnt/EFI/BOOT/BOOTX64.EFI /mnt/user-data; umount /mnt
  check 'cut short, it goes on where it stood' 'praesidor-disks && [ ! -e /var/lib/etcd/probe ] && grep kept /var/lib/kubelet/probe && mount -o ro "${SYSTEM}p1" /mnt && grep disk.efi /mnt/EFI/BOOT/BOOTX64.EFI && grep user-data /mnt/user-data && umount /mnt'
  again
  dd if=/dev/zero of="${MEMBERS}p1" bs=1M count=4 status=none
  disk
  check 'a file system that is gone is said, and not made anew, when it starts from its disk' '! praesidor-disks; tail -n 1 /run/reports | grep "disks finish FAIL the file system of etcd is gone"'
  again
  network
  sed -i 's/hw1d3/hw9d9/' /etc/praesidor/disks
  check 'a drive that is not there is named' '! praesidor-disks; tail -n 1 /run/reports | grep "disks finish FAIL no disk has the serial hw9d9 or the WWN [^ ]* of bay 3 (etcd)"'
  sed -i 's/hw9d9/hw1d3/' /etc/praesidor/disks
  again
  touch /run/unreachable
  rm -f /run/line; network
  check 'a server that does not answer is said' 'mount "${SYSTEM}p1" /mnt && rm /mnt/EFI/BOOT/tag && umount /mnt && ! praesidor-disks; tail -n 1 /run/reports | grep "disks finish FAIL user-data cannot be fetched"'
  again
  printf '#!/bin/sh\nexit 1\n' > /usr/local/sbin/udevadm
  chmod 0755 /usr/local/sbin/udevadm
  check 'whatever else breaks is said' '! praesidor-disks; tail -n 1 /run/reports | grep "disks finish FAIL it broke off while laying out bay 1 (system)"'
  rm /usr/local/sbin/udevadm
  say END
}
poweroff
