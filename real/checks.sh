#!/bin/sh
# Runs in the emulated machine at each of its starts, and says on its serial console what holds there: first over the network,
# then from its disk after a power cut, then once more from its disk.
say() { echo "CHECK $*" > /dev/ttyS0; }
check() {
  if out=$(timeout 90 sh -c "$2" 2>&1); then say "PASS $1"; else say "FAIL $1: $(echo "$out" | tail -n 4 | tr '\n' ' ' | tail -c 300)"; fi
}
network() {
  check "the adapter has its planned name$1" 'ip -br link show eno1'
  check "the address is the planned one, and no lease$1" 'ip -4 -o addr show eno1; ip -4 -o addr show eno1 | grep -v dynamic | grep -q "10.62.8.32/25" && ! ip route | grep "proto dhcp"'
  check "resolvers and search domain are the planned ones$1" 'resolvectl status eno1; resolvectl dns eno1 | grep -q 10.62.8.53 && resolvectl domain eno1 | grep -q lr.kestrelferries.example'
  check "names resolve$1" 'getent hosts registry.lr.kestrelferries.example'
}
disks() {
  check "containers have a disk of their own$1" 'findmnt -no SOURCE,FSTYPE /var/lib/containerd | grep "^/dev/nvme.n1p1 *ext4"; lsblk -no SERIAL "/dev/$(lsblk -no PKNAME "$(findmnt -no SOURCE /var/lib/containerd)")" | grep -x HW70002L-D2'
  check "what the node remembers lies on the system disk$1" 'for at in /var/lib/praesidor /var/lib/kubelet /var/lib/etcd; do findmnt -no SOURCE $at | grep "^/dev/nvme.n1p2" || exit 1; done'
}
ended() { until cloud-init status | grep -qE 'done|error'; do sleep 2; done; }

if grep -q ds=nocloud-net /proc/cmdline; then
  ended
  check 'first-boot data were read over HTTP' 'grep -q DataSourceNoCloudNet /var/log/cloud-init.log'
  check 'cloud-init ended without an error' 'cloud-init status --long; cloud-init status | grep -q "status: done"'
  check 'every key of user-data is known' 'cloud-init schema --system'
  check 'reports were sent, and taken' 'grep -q "webhook" /var/log/cloud-init.log; ! grep -m1 "Failed posting event" /var/log/cloud-init.log'
  network ''
  disks ''
  check 'firmware starts from its disk first' 'efibootmgr | tee /dev/stderr | grep -q "Praesidor" && [ "$(efibootmgr | sed -n "s/^BootOrder: \(....\).*/\1/p")" = "$(efibootmgr | sed -n "s/^Boot\(....\).*Praesidor.*/\1/p")" ]'
  say FIRST END
  exit
fi
until mountpoint -q /var/lib/praesidor; do sleep 2; done
if [ ! -e /var/lib/praesidor/checked ]; then
  until [ -e /var/lib/praesidor/joined ]; do sleep 2; done
  ended
  check 'after a power cut, first-boot data were read from its disk' 'grep -o "DataSourceNoCloud \[seed=.*" /var/log/cloud-init.log | tail -n 1 | tee /dev/stderr | grep -q "seed=.*/dev/nvme"'
  check 'cloud-init ended without an error again' 'cloud-init status --long; cloud-init status | grep -q "status: done"'
  network ', after a power cut'
  disks ', after a power cut'
  check 'the operator can log in' 'id operator && test -s ~operator/.ssh/authorized_keys && sudo -l -U operator | grep -q NOPASSWD'
  check 'time comes from the planned servers alone' 'cat /etc/chrony/chrony.conf /etc/chrony/*.d/* > /run/time-servers; grep -qE "^server [0-9]" /run/time-servers && ! grep -E "^(server|pool) .*debian" /run/time-servers'
  check 'every image is here' 'for image in $(cat /etc/praesidor/images.list); do ctr -n k8s.io images ls -q | grep -qxF "$image" || { echo "$image"; exit 1; }; done'
  check 'the runtime reads the mirror rules' 'containerd config dump | grep -q "config_path = \"/etc/containerd/certs.d\""'
  check 'runtime and kubelet have one cgroup driver' 'containerd config dump | grep -q "SystemdCgroup = true" && grep -q "cgroupDriver: systemd" /etc/kubernetes/kubelet.yaml'
  check 'the sandbox image is here' 'i=$(containerd config dump | sed -n "s/.*sandbox_image = \"\(.*\)\"/\1/p"); echo "$i"; ctr -n k8s.io images ls -q | grep -qxF "$i"'
  check 'an image that is missing is called missing' 'ctr -n k8s.io images pull --hosts-dir /etc/containerd/certs.d images.upstream.example/core/nothing:1 2>&1 | tail -n 1 | tee /dev/stderr | grep -q "not found"'
  check 'pods are routed and filtered' 'sysctl -n net.ipv4.ip_forward | grep -qx 1 && sysctl -n net.bridge.bridge-nf-call-iptables | grep -qx 1'
  check 'the kubelet has its unit and its arguments' 'systemctl cat kubelet | grep -q KUBELET_ARGS && test -s /etc/kubernetes/kubelet.env'
  check 'keepalived takes its file' 'keepalived -t -f /etc/keepalived/keepalived.conf'
  check 'haproxy takes its file' 'haproxy -c -f /etc/haproxy/haproxy.cfg'
  check 'no swap is used' '[ -z "$(swapon --noheadings)" ]'
  check 'no unit failed' 'systemctl --failed --no-legend; [ -z "$(systemctl --failed --no-legend)" ]'
  cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub > /var/lib/praesidor/checked
  say SECOND END
  reboot
  exit
fi
until systemctl is-active kubelet; do sleep 2; done
ended
network ', after a restart'
disks ', after a restart'
check 'it is who it was' 'cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub | cmp - /var/lib/praesidor/checked'
check 'every image is still here' '[ "$(ctr -n k8s.io images ls -q | grep -cxFf /etc/praesidor/images.list)" = "$(wc -l < /etc/praesidor/images.list)" ]'
check 'what was started comes back by itself' 'systemctl is-active kubelet keepalived containerd'
check 'no unit failed after a restart' 'systemctl --failed --no-legend; [ -z "$(systemctl --failed --no-legend)" ]'
say THIRD END
poweroff
