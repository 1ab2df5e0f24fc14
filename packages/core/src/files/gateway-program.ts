import { serverAccount } from '../charter/server-account.ts';
import type { Gateway } from '../model/documents.ts';

/** The address at which a member is entered. */
export const loginAt = (m: Gateway['members'][number]): string => m.login?.address ?? m.interfaces[0]?.address ?? '';

/** Where the program of a member lies. */
export const gatewayProgram = '/usr/local/sbin/praesidor-gateway';

/** What somebody puts on each member once, so that the server can set it up: an account that runs one program and nothing else. */
export interface GatewayAccount {
  user: string;
  /** Its line of authorized_keys (sshd(8)). */
  key: string;
  /** Its line of sudoers (sudoers(5)). */
  sudo: string;
  path: string;
  program: string;
}
export const gatewayAccount = (publicKey: string): GatewayAccount => ({
  user: serverAccount,
  key: `restrict,command="sudo -n ${gatewayProgram}" ${publicKey}`,
  sudo: `${serverAccount} ALL=(root) NOPASSWD: ${gatewayProgram}`,
  path: gatewayProgram,
  program,
});

/** Files that a member is set up with, by where they lie: what is not written any more goes. */
const files = ['etc/bird/bird.conf', 'etc/keepalived/keepalived.conf', 'etc/nftables.conf', 'etc/sysctl.d/90-forward.conf'];

const program = `#!/bin/sh
# What the server can do on this member of a gateway: look at it, have new files judged by the programs that read them, and put them in force.
# It reads a tar: "do" says what is asked for, files lie below root/, "interfaces" names those that they speak of, SHA256SUMS says what is whole.
set -eu
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
exec 9> /run/praesidor-gateway.lock
flock -n 9 || { echo "somebody is setting this member up already" >&2; exit 75; }
new=$(mktemp -d /run/praesidor-gateway.XXXXXX)
trap 'rm -rf "$new"' EXIT
umask 022
tar --extract --no-same-owner --directory "$new"
cd "$new"
sha256sum --quiet --strict --check SHA256SUMS || { echo "what came is not whole: nothing was changed" >&2; exit 65; }
files='${files.join(' ')}'
ours() { [ -f "$1" ] && grep -q 'Written by Praesidor' "$1"; }

judge() {
  lacks=''
  for name in $(cat interfaces); do
    [ -e "/sys/class/net/$name" ] || lacks="$lacks $name"
  done
  [ -z "$lacks" ] || { echo "it has no interface$lacks" >&2; return 66; }
  if [ -f root/etc/bird/bird.conf ]; then
    bird -p -c root/etc/bird/bird.conf >&2 || return 67
  fi
  if [ -f root/etc/keepalived/keepalived.conf ]; then
    keepalived -t -f root/etc/keepalived/keepalived.conf >&2 || return 68
  fi
  if [ -f root/etc/nftables.conf ]; then
    nft -c -f root/etc/nftables.conf >&2 || return 69
  fi
}
differences() {
  for file in $files; do
    if [ -f "root/$file" ]; then
      if cmp -s "root/$file" "/$file"; then echo "same /$file"; else echo "differs /$file"; fi
    elif ours "/$file"; then
      echo "goes /$file"
    fi
  done
}
# What reads the files is told; what was not there yet is started.
force() {
  if [ -f /etc/sysctl.d/90-forward.conf ]; then sysctl --quiet --load /etc/sysctl.d/90-forward.conf || return 1; fi
  if ours /etc/nftables.conf; then
    nft -f /etc/nftables.conf || return 1
    systemctl --quiet enable nftables || return 1
  elif nft list table inet gateway > /dev/null 2>&1; then
    nft delete table inet gateway || return 1
  fi
  systemctl --quiet enable bird || return 1
  systemctl reload-or-restart bird || return 1
  if ours /etc/keepalived/keepalived.conf; then
    systemctl --quiet enable keepalived || return 1
    systemctl reload-or-restart keepalived || return 1
  elif [ ! -f /etc/keepalived/keepalived.conf ]; then
    systemctl stop keepalived > /dev/null 2>&1 || true
  fi
}
# A file takes the place of the one before at once: nobody reads half of one.
place() {
  mkdir -p "$(dirname "$2")"
  cp "$1" "$2.new"
  sync "$2.new"
  mv "$2.new" "$2"
}
# Once begun it goes to its end, whether or not somebody still listens.
say() { echo "$1" 2> /dev/null || true; }
apply() {
  trap '' HUP PIPE TERM
  mkdir before
  for file in $files; do
    [ -f "/$file" ] || continue
    mkdir -p "before/$(dirname "$file")"
    cp -p "/$file" "before/$file"
  done
  for file in $files; do
    if [ -f "root/$file" ]; then
      cmp -s "root/$file" "/$file" && continue
      # What somebody else wrote is kept beside it, once.
      if [ -f "/$file" ] && ! ours "/$file" && [ ! -e "/$file.before-praesidor" ]; then
        cp -p "/$file" "/$file.before-praesidor"
      fi
      place "root/$file" "/$file"
      say "put /$file"
    elif ours "/$file"; then
      rm -f "/$file"
      say "removed /$file"
    fi
  done
  if force; then
    say "in force"
    return 0
  fi
  for file in $files; do
    if [ -f "before/$file" ]; then place "before/$file" "/$file"; else rm -f "/$file"; fi
  done
  force > /dev/null 2>&1 || true
  say "it could not be put in force, and everything was put back as it was" >&2
  return 70
}
state() {
  birdc show protocols | awk '$2 == "BGP" { print "bgp", $1, $NF }'
  ip -o address show | awk '{ print "address", $2, $4 }'
  { ip -o -4 route show; ip -o -6 route show; } | awk '{ print "route", $0 }'
}

case $(cat do) in
  judge) judge; differences ;;
  apply) judge; apply ;;
  state) state ;;
  *) echo "that is not something this program does" >&2; exit 64 ;;
esac
`;
