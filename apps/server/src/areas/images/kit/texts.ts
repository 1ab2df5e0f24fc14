import { nodeFlags } from '@praesidor/registry';

/** The files of a registry's kit that are text: the unit, what installs, removes and proves it, and what to read first. */
export interface KitFacts {
  registry: string;
  endpoint: string;
  host: string;
  port: number;
}
export const home = '/opt/praesidor-registry';
export const etc = '/etc/praesidor-registry';
export const content = '/var/lib/praesidor-registry';

/** systemd.service(5), systemd.exec(5): a program that needs one folder and one port is given no more. */
export const unitText = (k: KitFacts) => `[Unit]
Description=Image registry ${k.registry}
After=network-online.target
Wants=network-online.target

[Service]
Type=simple
User=praesidor-registry
Group=praesidor-registry
ExecStart=${home}/bin/node ${nodeFlags.join(' ')} ${home}/lib/registry.mjs serve ${etc}/registry.json
ExecReload=/bin/kill -HUP $MAINPID
Restart=always
RestartSec=2
TimeoutStopSec=20
LimitNOFILE=65536
StateDirectory=praesidor-registry
StateDirectoryMode=0750
UMask=0027
NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=yes
PrivateTmp=yes
PrivateDevices=yes
ProtectClock=yes
ProtectHostname=yes
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes
ProtectControlGroups=yes
ProtectProc=invisible
RestrictAddressFamilies=AF_INET AF_INET6 AF_UNIX
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
LockPersonality=yes
RemoveIPC=yes
SystemCallArchitectures=native
CapabilityBoundingSet=${k.port < 1024 ? 'CAP_NET_BIND_SERVICE' : ''}
${k.port < 1024 ? 'AmbientCapabilities=CAP_NET_BIND_SERVICE\n' : ''}
[Install]
WantedBy=multi-user.target
`;

/** POSIX shell; with --root DIR everything is laid below DIR and nothing is started. */
export const installText = (k: KitFacts) => `#!/bin/sh
# Installs the image registry ${k.registry} on this machine: no internet, no container runtime.
#   ./install.sh                 installs, starts, proves
#   ./install.sh --root DIR      lays the files below DIR and starts nothing
set -eu
cd "$(dirname "$0")"
root=""
if [ "\${1:-}" = "--root" ]; then root="\${2:?--root needs a folder}"; fi
say() { printf '%s\\n' "$*"; }
fail() { say "$*" >&2; exit 1; }

[ "$(uname -s)" = Linux ] || fail "this kit is for Linux"
sha256sum --quiet -c SHA256SUMS || fail "the kit is damaged: files above do not have their checksums"
./bin/node --version >/dev/null || fail "the Node.js of this kit does not run on this machine ($(uname -m))"
if [ -z "$root" ]; then
  [ "$(id -u)" = 0 ] || fail "run this as root"
  command -v systemctl >/dev/null || fail "systemd is not there; use --root and start it yourself"
  getent passwd praesidor-registry >/dev/null || useradd --system --home-dir ${content} --shell /usr/sbin/nologin praesidor-registry
fi

mkdir -p "$root${home}/bin" "$root${home}/lib" "$root${etc}/tls" "$root${content}"
cp bin/node "$root${home}/bin/node.new" && mv "$root${home}/bin/node.new" "$root${home}/bin/node"
cp lib/registry.mjs "$root${home}/lib/registry.mjs"
cp install.sh remove.sh prove.sh "$root${home}/"
for f in registry.json tls/cert.pem tls/key.pem tls/ca.pem; do
  if [ -e "$root${etc}/$f" ] && ! cmp -s "etc/$f" "$root${etc}/$f"; then cp "$root${etc}/$f" "$root${etc}/$f.before"; fi
  cp "etc/$f" "$root${etc}/$f"
done
chmod 0640 "$root${etc}/registry.json" "$root${etc}/tls/key.pem"
mkdir -p "$root/etc/systemd/system"
cp praesidor-registry.service "$root/etc/systemd/system/praesidor-registry.service"
if [ -n "$root" ]; then say "laid below $root; nothing was started"; exit 0; fi

chown -R root:praesidor-registry ${etc}
chown -R praesidor-registry:praesidor-registry ${content}
"${home}/bin/node" "${home}/lib/registry.mjs" check ${etc}/registry.json
systemctl daemon-reload
systemctl enable praesidor-registry
systemctl restart praesidor-registry
say "installed. Prove it with: ${home}/prove.sh USER   (the password is asked for)"
`;

export const removeText = (k: KitFacts) => `#!/bin/sh
# Takes the image registry ${k.registry} off this machine. Its content is deleted only when that is typed.
#   remove.sh [--root DIR]
set -eu
root=""
if [ "\${1:-}" = "--root" ]; then root="\${2:?--root needs a folder}"; fi
say() { printf '%s\\n' "$*"; }
if [ -z "$root" ]; then
  [ "$(id -u)" = 0 ] || { say "run this as root" >&2; exit 1; }
  systemctl disable --now praesidor-registry 2>/dev/null || true
fi
rm -f "$root/etc/systemd/system/praesidor-registry.service"
rm -rf "$root${home}" "$root${etc}"
if [ -z "$root" ]; then systemctl daemon-reload; fi
if [ -d "$root${content}" ]; then
  used=$(du -sh "$root${content}" 2>/dev/null | cut -f1)
  say "Its content is still there: $root${content}, \${used:-?}. Type the registry's name, ${k.registry}, to delete it; anything else keeps it."
  printf '> '
  read -r answer || answer=""
  if [ "$answer" = "${k.registry}" ]; then rm -rf "$root${content}"; say "deleted"; else say "kept"; fi
fi
if [ -z "$root" ] && [ ! -d ${content} ]; then userdel praesidor-registry 2>/dev/null || true; fi
`;

export const proveText = (k: KitFacts) => `#!/bin/sh
# Proves the registry: log-in against the trust bundle, push, pull, restart, and kill -9 in the middle of an upload.
#   prove.sh USER   the password is read without being shown
set -eu
user="\${1:?prove.sh USER}"
if [ -t 0 ]; then printf 'password: ' >&2; stty -echo; fi
read -r password
if [ -t 0 ]; then stty echo; printf '\\n' >&2; fi
printf '%s\\n' "$password" | ${home}/bin/node ${home}/lib/registry.mjs prove https://${k.endpoint} \\
  --ca ${etc}/tls/ca.pem --user "$user" --at 127.0.0.1 \\
  --restart 'systemctl restart praesidor-registry' --kill 'systemctl kill -s SIGKILL praesidor-registry'
`;

export const readmeText = (k: KitFacts, until: string) => `The image registry ${k.registry}, ${k.endpoint}

  tar -xzf this archive, then as root: ./install.sh
  The server stands in ${home}, its configuration in ${etc}, its content in ${content}.
  Certificate: for ${k.host}, until ${until}; clients trust etc/tls/ca.pem.
  Users and passwords were shown once where this kit was made; only their hashes are in here.
  A new certificate: replace ${etc}/tls/*.pem, then systemctl reload praesidor-registry.
  Away again: ${home}/remove.sh asks before it deletes content.
`;
