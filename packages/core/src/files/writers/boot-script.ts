import type { PlannedNode } from '../../charter/plan.ts';
import { componentsOf, imageOf, type KitContext, nodeFile, type NodeWriter } from '../kit.ts';
import { environment, hostPort, shell } from '../quote.ts';
import { membersAt } from './static-pods.ts';
import { movesAddresses } from './virtual-addresses.ts';

/** Images a node holds before it joins: those for its role, those for every node, and what may run anywhere on workers. */
export function imagesOf(ctx: KitContext, node: PlannedNode): string[] {
  const alone = !ctx.plan.nodes.some((n) => n.role === 'worker');
  const on =
    node.role === 'control-plane'
      ? ['node', 'control-plane', ...(alone ? ['worker', 'cluster'] : [])]
      : ['node', 'worker', 'cluster'];
  return [
    ...new Set(
      componentsOf(ctx)
        .filter((c) => on.includes(c.on))
        .map((c) => c.image),
    ),
  ];
}

/** A later control-plane member is announced to etcd before it starts. */
function joinEtcd(ctx: KitContext, node: PlannedNode): string {
  const before = membersAt(ctx, node).slice(0, -1);
  const image = imageOf(ctx, 'etcd');
  if (node.role !== 'control-plane' || !before.length || !image) return '';
  const pki = '/etc/kubernetes/pki/etcd';
  const peer = `https://${hostPort(node.address, 2380)}`;
  // Any of those before it is asked: one may be away. Announced once: after a power cut it stands in the list. While an earlier one has not started, etcd takes no other.
  return `etcd() {
  ctr -n k8s.io tasks kill -s SIGKILL "$1" > /dev/null 2>&1 || true
  ctr -n k8s.io containers rm "$1" > /dev/null 2>&1 || true
  ctr -n k8s.io run --rm --net-host --env ETCDCTL_API=3 --mount type=bind,src=${pki},dst=${pki},options=rbind:ro ${shell(image)} "$@"
}
ask="etcdctl --endpoints=${before.map((m) => `https://${hostPort(m.address, 2379)}`).join(',')} --cacert=${pki}/ca.crt --cert=${pki}/server.crt --key=${pki}/server.key"
until etcd list-etcd $ask member list | grep -qF ${shell(peer)} || etcd join-etcd $ask member add ${shell(node.host)} --peer-urls=${shell(peer)}; do
  report join progress WARN "etcd does not take ${node.host} yet"
  sleep 5
done
# Who the members are etcd says, and not the plan: one may have left since.
members=$(etcd list-etcd $ask member list | awk -F', ' -v own=${shell(node.host)} '{ printf "%s%s=%s", (NR > 1 ? "," : ""), ($3 == "" ? own : $3), $4 }')
sed -i 's#--initial-cluster=[^" ]*#--initial-cluster='"$members"'#' /etc/kubernetes/manifests/etcd.yaml
`;
}

/** The script of the first boot: pull every image through the mirror, wait until the build lets the host join, start the kubelet. Each stage is reported. */
export const bootScript: NodeWriter = {
  name: 'boot script',
  write: (ctx, node) => [
    nodeFile('/etc/praesidor/images.list', imagesOf(ctx, node).join('\n'), ['charter.release', 'charter.addons']),
    nodeFile(
      '/etc/praesidor/boot.env',
      `${[environment('BOOT', ctx.reportUrl(node.host)), environment('ROLE', node.role), environment('HOST', node.host), environment('ERASE', ctx.erase?.(node.host) ? 'yes' : 'no')].join('\n')}\n`,
      ['build'],
      {
        secret: true,
      },
    ),
    nodeFile(
      '/usr/local/sbin/praesidor-report',
      `#!/bin/sh
# Tells the build how a stage goes: praesidor-report STAGE start|progress|finish SUCCESS|WARN|FAIL TEXT
. /etc/praesidor/boot.env
text=$(printf %s "$4" | tr -d '"\\\\' | tr '[:cntrl:]' ' ')
curl -fsS -m 10 --retry 5 --retry-delay 2 --retry-connrefused -H 'content-type: application/json' -d "{\\"name\\":\\"$1\\",\\"event_type\\":\\"$2\\",\\"result\\":\\"$3\\",\\"description\\":\\"$text\\",\\"origin\\":\\"boot-script\\"}" "$BOOT/report" > /dev/null || true
`,
      ['build'],
      { mode: '0755' },
    ),
    nodeFile(
      '/usr/local/sbin/praesidor-boot',
      `#!/bin/sh
# First boot of ${node.host}, ${node.role} of ${ctx.plan.charter.name}.
set -eu
. /etc/praesidor/boot.env
PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin
report() { praesidor-report "$@"; }
start() { systemctl enable --quiet ${movesAddresses(ctx, node) ? 'keepalived ' : ''}kubelet; systemctl start ${movesAddresses(ctx, node) ? 'keepalived ' : ''}kubelet; }
# A node that has joined comes back by itself, whether or not a build is there.
# Installed anew, it has joined with another kit: it pulls what it lacks, and asks whether it may.
if grep -qsxF ${shell(ctx.installation)} /var/lib/praesidor/joined; then start; exit 0; fi
for program in ctr kubelet${movesAddresses(ctx, node) ? ' keepalived' : ''}; do
  command -v "$program" > /dev/null || { report programs finish FAIL "the system has no program $program"; exit 1; }
done
# What was on its way when power went may be there by name and empty: the runtime forgets it, and it is pulled anew.
pulling=/var/lib/praesidor/pulling
forget() {
  ctr -n k8s.io images rm "$1" > /dev/null 2>&1 || true
  for lease in $(ctr -n k8s.io leases ls -q); do ctr -n k8s.io leases rm --sync "$lease" > /dev/null 2>&1 || true; done
}
mkdir -p /var/lib/praesidor
if [ -s "$pulling" ]; then forget "$(cat "$pulling")"; fi
report images start SUCCESS "$(wc -l < /etc/praesidor/images.list) images"
while read -r image; do
  echo "$image" > "$pulling"
  sync "$pulling"
  tries=0
  until ctr -n k8s.io images pull --hosts-dir /etc/containerd/certs.d "$image" > /run/pull.log 2>&1; do
    tries=$((tries + 1))
    report images progress WARN "$image: $(tail -n 1 /run/pull.log)"
    [ "$tries" -lt 5 ] || { report images finish FAIL "$image: $(tail -n 1 /run/pull.log)"; exit 1; }
    forget "$image"
    sleep "$tries"
  done
  # Said to be here only when it would outlast a power cut.
  sync -f /var/lib/containerd
  report images progress SUCCESS "$image"
done < /etc/praesidor/images.list
rm -f "$pulling"
report images finish SUCCESS "all images are here"
until curl -fsS -m 10 "$BOOT/gate/join" > /dev/null; do sleep 5; done
${joinEtcd(ctx, node)}start
echo ${shell(ctx.installation)} > /var/lib/praesidor/joined
${node.guest ? '# Its root stays: later starts need no first-boot data, and nobody listens to what they would report.\ntouch /etc/cloud/cloud-init.disabled\n' : ''}sync
report join start SUCCESS "kubelet started"
`,
      ['charter.release'],
      { mode: '0755' },
    ),
    // A unit and not a first-boot command alone: after a power cut in the middle it goes on where it stood.
    nodeFile(
      '/etc/systemd/system/praesidor-boot.service',
      `[Unit]
Description=First boot of ${node.host} for ${ctx.plan.charter.name}
Wants=network-online.target containerd.service
After=network-online.target containerd.service

[Service]
Type=oneshot
ExecStart=/usr/local/sbin/praesidor-boot
RemainAfterExit=yes
Restart=on-failure
RestartSec=30

[Install]
WantedBy=multi-user.target
`,
      ['boot script'],
    ),
  ],
};
