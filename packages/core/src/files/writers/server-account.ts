import { blockBytes } from '../../backup/blocks.ts';
import { accountKey, hasServerAccount, hostKey, publicHalf, serverAccount } from '../../charter/server-account.ts';
import type { PlannedNode } from '../../charter/plan.ts';
import { type KitContext, nodeFile, type NodeWriter } from '../kit.ts';
import { shell } from '../quote.ts';
import { volumeFolder } from './volumes.ts';

const put = '/usr/local/sbin/praesidor-put';
/** What runs on the control plane and reads some of its certificates at its start alone. */
const members = ['etcd', 'kube-apiserver', 'kube-controller-manager', 'kube-scheduler'];

/**
 * What the server can do on a host that runs: put files there and have what reads them started anew, measure a path from it, and read and write a volume that lies there. The account has no password and no shell of its own: sshd
 * runs this one program for its key, whatever was asked for (authorized_keys(5), `command` and `restrict`).
 */
export const serverAccountFiles: NodeWriter = {
  name: 'account of the server',
  write: (ctx, node) =>
    hasServerAccount(ctx.plan.charter) ? [nodeFile(put, script(node), ['charter.certificates'], { mode: '0755' })] : [],
};

/** The account, for `users` of user-data; none where the charter has none. */
export const accountUser = (ctx: KitContext) =>
  hasServerAccount(ctx.plan.charter)
    ? [
        {
          name: serverAccount,
          gecos: 'Server that built this host',
          shell: '/bin/sh',
          sudo: `ALL=(root) NOPASSWD: ${put}`,
          lock_passwd: true,
          ssh_authorized_keys: [`restrict,command="sudo -n ${put}" ${ctx.secret(publicHalf(accountKey))}`],
        },
      ]
    : [];
/** The key by which the host is known at log-in, the same at every start, though its root may lie in memory: the server knows whom it speaks to. */
export const loginKeys = (ctx: KitContext, host: string) => ({
  ssh_keys: { ed25519_private: ctx.secret(hostKey(host)), ed25519_public: ctx.secret(publicHalf(hostKey(host))) },
});

const script = (node: PlannedNode) => `#!/bin/sh
# Puts new files on ${node.host} while it runs, and has started anew what reads them at its start alone. It may be run again.
# It reads a tar: what lies below root/ comes to its place, what lies below seed/ to where the host starts from, and SHA256SUMS says what is whole.
# With reach in it, an address and a port, it tells how this host gets there, and puts nothing; with volume in it, it reads one out.
# What begins with the words "write volume" and a path, filled up to 512 bytes, is an archive of a volume: that takes the place of what is there.
set -eu
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
exec 9> /run/praesidor-put.lock
flock -n 9 || { echo "files are being put on this host already" >&2; exit 75; }
new=$(mktemp -d /run/praesidor-put.XXXXXX)
trap 'mountpoint -q "$new/disk" && umount "$new/disk"; rm -rf "$new"' EXIT
mkdir "$new/tar" "$new/disk"
umask 022
path_of_a_volume() {
  case "$1" in *[!A-Za-z0-9._/-]* | */../* | */..) echo "that is no path of a volume" >&2; exit 65 ;; esac
  case "$1" in ${volumeFolder}/?* | /var/lib/kubelet/plugins/kubernetes.io/csi/*/globalmount) ;; *) echo "that is no path of a volume" >&2; exit 65 ;; esac
  [ -d "$1" ] || { echo "there is no $1 here" >&2; exit 66; }
}
dd bs=512 count=1 iflag=fullblock status=none of="$new/head"
if [ "$(head -c 13 "$new/head" | tr -d '\0')" = "write volume " ]; then
  # Files may be put meanwhile.
  exec 9>&-
  path=$(head -n 1 "$new/head" | cut -c 14-)
  path_of_a_volume "$path"
  # One that is cut off in the middle leaves less than there was: whoever asked begins again.
  find "$path" -xdev -mindepth 1 -delete
  tar --extract --preserve-permissions --same-owner --numeric-owner --acls --xattrs --xattrs-include='*' --directory "$path" || { echo "$path could not be written whole" >&2; exit 74; }
  sync --file-system "$path"
  exit 0
fi
cat "$new/head" - | tar --extract --preserve-permissions --no-same-owner --directory "$new/tar"
cd "$new/tar"
sha256sum --quiet --strict --check SHA256SUMS || { echo "what came is not whole: nothing was changed" >&2; exit 65; }
if [ -f reach ]; then
  # A path is measured from here: which way it takes, and whether somebody takes connections at its end. Nothing is changed.
  read -r address port < reach
  case "$address$port" in *[!0-9a-f:.]*) echo "that is no address and no port" >&2; exit 65 ;; esac
  way=$(ip -o route get "$address" 2> /dev/null | head -n 1 || true)
  echo "way $way"
  link=$(echo "$way" | awk '{ for (i = 1; i < NF; i++) if ($i == "dev") print $(i + 1) }')
  if [ -n "$link" ] && [ -r "/sys/class/net/$link/mtu" ]; then echo "mtu $(cat "/sys/class/net/$link/mtu")"; fi
  case "$address" in *:*) at="[$address]" ;; *) at=$address ;; esac
  code=0
  took=$(curl -s -o /dev/null -w '%{time_connect}' --connect-timeout 3 --max-time 3 "telnet://$at:$port" < /dev/null) || code=$?
  echo "tcp $code $took"
  # The largest packet that comes there whole: probes that nobody may cut (RFC 8899). Nothing is said where probes are not answered.
  head=28 least=576
  case "$address" in *:*) head=48 least=1280 ;; esac
  probe() { ping -n -q -c 1 -W 1 -M do -s "$(($1 - head))" "$address" > /dev/null 2>&1; }
  high=$(cat "/sys/class/net/$link/mtu" 2> /dev/null || echo 0)
  [ "$high" -le 65535 ] || high=65535
  if [ "$high" -lt "$least" ] || ! command -v ping > /dev/null || ! probe "$least"; then exit 0; fi
  if probe "$high"; then
    low=$high
  else
    low=$least
    # What a router on the way has said of it, the kernel has kept: most often that is it.
    kept=$(ip -o route get "$address" 2> /dev/null | sed -n 's/.* mtu \\([0-9]*\\).*/\\1/p')
    next=\${kept:=0}
    while [ "$((high - low))" -gt 1 ]; do
      if [ "$next" -le "$low" ] || [ "$next" -ge "$high" ]; then next=$(((low + high) / 2)); fi
      if probe "$next"; then low=$next next=$((kept + 1)); else high=$next next=0; fi
    done
  fi
  echo "pmtu $low"
  exit 0
fi
if [ -f volume ]; then
  # A volume is read: nothing is changed, and files may be put meanwhile.
  exec 9>&-
  read -r verb path < volume
  path_of_a_volume "$path"
  # What does not change is the same archive every time (tar(1)); one file of it that changes meanwhile is no fault.
  archive() {
    code=0
    tar --create --sort=name --format=posix --pax-option='exthdr.name=%d/%f.pax,delete=atime,delete=ctime' --numeric-owner --acls --xattrs --one-file-system --warning=no-file-changed --directory "$path" . || code=$?
    [ "$code" -le 1 ] || touch "$new/broken"
  }
  pieces() { split --bytes=${blockBytes} --suffix-length=8 --numeric-suffixes --filter="$1" -; }
  case "$verb" in
    all) archive ;;
    list) archive | pieces 'cat > piece; printf "block %s " "$(stat --format=%s piece)"; sha256sum < piece | cut -c 1-64' ;;
    read) archive | pieces 'if grep -qxF "$FILE" wanted; then cat; else cat > /dev/null; fi' ;;
    *) echo "that is not something this program does" >&2; exit 64 ;;
  esac
  [ ! -e "$new/broken" ] || { echo "$path could not be read whole" >&2; exit 74; }
  exit 0
fi
[ -d root ] || { echo "no files came: nothing was changed" >&2; exit 65; }
installation=$(cat installation)
joined=/var/lib/praesidor/joined
[ -s "$joined" ] || { echo "this host has not joined yet: nothing was changed" >&2; exit 69; }
# Once begun it goes to its end, whether or not somebody still listens.
trap '' HUP PIPE TERM
say() { echo "$1" 2> /dev/null || true; }
# From here on a power cut may come at any moment: started with the old files or with the new ones, the host has joined.
grep -qxF "$installation" "$joined" || echo "$installation" >> "$joined"
sync "$joined"
# A file takes the place of the one before at once: nobody reads half of one.
place() {
  mkdir -p "$(dirname "$2")"
  cp "$1" "$2.new"
  sync "$2.new"
  mv "$2.new" "$2"
}
if [ -d seed ]; then
  system=$(sed -n 's/^system [^ ]* [^ ]* \\([^ ]*\\) .*/\\1/p' /etc/praesidor/disks)
  first=$(lsblk --noheadings --output PATH,PTUUID,PARTLABEL | awk -v id="$system" '$2 == id && $3 == "boot" { print $1 }')
  [ -n "$first" ] || { echo "the disk that this host starts from is not there: only its record of changes was touched" >&2; exit 72; }
  mount -t vfat -o umask=0077 "$first" "$new/disk"
  (cd seed && find . -type f) | while read -r file; do place "seed/$file" "$new/disk/$file"; done
  umount "$new/disk"
  say "put where the host starts from: $(ls seed | tr '\\n' ' ')"
fi
(cd root && find . -type f) | while read -r file; do
  cmp -s "root/$file" "/$file" && continue
  place "root/$file" "/$file"
  say "put $(echo "$file" | cut -c 2-)"
done
echo "$installation" > "$joined.new"
mv "$joined.new" "$joined"
sync
# A kubelet asks for its next certificates by itself, and has those that it was granted; it begins with the new ones.
rm -f /var/lib/kubelet/pki/kubelet-client-*.pem
systemctl restart kubelet
say "started anew: kubelet"
${
  node.role === 'control-plane'
    ? `for name in ${members.map(shell).join(' ')}; do
  for container in $(ctr -n k8s.io containers ls -q "labels.\\"io.kubernetes.container.name\\"==$name"); do
    ctr -n k8s.io tasks kill -s SIGTERM "$container" > /dev/null 2>&1 || true
  done
  say "started anew: $name"
done
`
    : ''
}`;
