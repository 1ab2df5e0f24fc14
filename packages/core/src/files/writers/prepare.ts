import { interfacesOf, uplinkOf } from '../../charter/uplink.ts';
import { shell } from '../quote.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

/** What the kernel must do for pods and for the API address: modules by modules-load.d(5), settings by sysctl.d(5). */
const modules = ['overlay', 'br_netfilter', 'nf_conntrack'];
const settings = [
  'net.ipv4.ip_forward = 1',
  'net.ipv6.conf.all.forwarding = 1',
  'net.bridge.bridge-nf-call-iptables = 1',
  'net.bridge.bridge-nf-call-ip6tables = 1',
  // The load balancer listens at the API address before it is here.
  'net.ipv4.ip_nonlocal_bind = 1',
  'net.ipv6.ip_nonlocal_bind = 1',
];

/**
 * Kernel, network, resolver and disks put in force at the first boot, without a restart: by the script that user-data runs before
 * anything is pulled. Each of its lines may be run again.
 */
export const prepare: NodeWriter = {
  name: 'kernel and network in force',
  write: ({ plan }, node) => [
    nodeFile('/etc/modules-load.d/praesidor.conf', modules.join('\n'), ['charter.overlay']),
    nodeFile('/etc/sysctl.d/90-praesidor.conf', settings.join('\n'), ['charter.overlay', 'charter.api']),
    nodeFile(
      '/usr/local/sbin/praesidor-prepare',
      `#!/bin/sh
# Puts in force what user-data has laid on ${node.host}: kernel, network, disks, runtime. It may be run again.
set -eu
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
trap '[ "$?" = 0 ] || praesidor-report system finish FAIL "what user-data laid here could not be put in force; its journal says why"' EXIT
for module in ${modules.join(' ')}; do modprobe "$module"; done
sysctl --quiet --load /etc/sysctl.d/90-praesidor.conf
# A node without swap, now and after a restart.
swapoff -a
[ "$(systemctl is-enabled swap.target 2> /dev/null)" = masked ] || systemctl mask --now swap.target > /dev/null 2>&1 || true
# Adapters by their own addresses, under the names that the plan has for them.
name_adapter() {
  for at in /sys/class/net/*/address; do
    adapter=$(dirname "$at")
    # A bond, or a tag on it, has the address of an adapter; one that is in a bond has the bond's.
    [ -e "$adapter/device" ] || continue
    [ "$(cat "$adapter/bonding_slave/perm_hwaddr" 2> /dev/null || cat "$at")" = "$1" ] || continue
    now=$(basename "$adapter")
    [ "$now" = "$2" ] && continue
    ip link set "$now" down
    ip link set "$now" name "$2"
  done
}
${uplinkOf(node)
  .adapters.map((a) => `name_adapter ${shell(a.mac)} ${shell(a.name)}`)
  .join('\n')}
# What cloud-init laid down for its first request, and the names that it gave, are not those of later starts.
rm -f /etc/netplan/50-cloud-init.yaml /etc/systemd/network/10-cloud-init-* /etc/udev/rules.d/70-persistent-net.rules
mkdir -p /etc/cloud/cloud.cfg.d
echo 'network: {config: disabled}' > /etc/cloud/cloud.cfg.d/99-praesidor.cfg
systemctl is-enabled --quiet systemd-networkd || systemctl enable --quiet systemd-networkd
systemctl start systemd-networkd
networkctl reload
# A bond, and a tag on it, are made one after the other.
for link in ${interfacesOf(node).map(shell).join(' ')}; do
  tries=0
  until [ -e "/sys/class/net/$link" ] || [ "$tries" = 100 ]; do
    tries=$((tries + 1))
    sleep 0.1
  done
done
networkctl reconfigure ${interfacesOf(node).map(shell).join(' ')}
# A link, and LACP above it, take some seconds until they let anything through; what follows asks the server.
tries=0
until ip -o address show dev ${shell(node.nic)} | grep -qF ${shell(` ${node.address}/`)} || [ "$tries" = 600 ]; do
  tries=$((tries + 1))
  sleep 0.1
done
systemctl restart systemd-resolved
praesidor-disks
${plan.storage.some((c) => c.kind === 'local') ? 'systemd-tmpfiles --create\n' : ''}${plan.charter.syslog ? 'systemctl restart rsyslog\n' : ''}systemctl enable --quiet praesidor-boot.service
systemctl restart containerd
systemctl start --no-block praesidor-boot.service
`,
      ['network', 'host.facts.nics'],
      { mode: '0755' },
    ),
  ],
};
