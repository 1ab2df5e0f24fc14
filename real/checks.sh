#!/bin/sh
# Runs in the emulated machine when its images are pulled, and says on its serial console what holds there.
say() { echo "CHECK $*" > /dev/ttyS0; }
check() {
  if out=$(timeout 90 sh -c "$2" 2>&1); then say "PASS $1"; else say "FAIL $1: $(echo "$out" | tail -n 4 | tr '\n' ' ' | tail -c 300)"; fi
}
all() { for image in $(cat /etc/praesidor/images.list); do ctr -n k8s.io images ls -q | grep -qxF "$image" || { echo "$image"; return 1; }; done; }
{
  until [ -s /etc/praesidor/images.list ] && all > /dev/null 2>&1; do sleep 5; done
  until cloud-init status | grep -qE 'done|error'; do sleep 2; done
  check 'first-boot data were read over HTTP' 'grep -q DataSourceNoCloudNet /var/log/cloud-init.log'
  check 'cloud-init ended without an error' 'cloud-init status --long; cloud-init status | grep -q "status: done"'
  check 'every key of user-data is known' 'cloud-init schema --system'
  check 'every report was taken' '! grep -m1 "Failed posting event" /var/log/cloud-init.log'
  check 'the operator can log in' 'id operator && test -s ~operator/.ssh/authorized_keys && sudo -l -U operator | grep -q NOPASSWD'
  check 'the adapter has its planned name' 'ip -br link show eno1'
  check 'the address is the planned one, and no lease' 'ip -4 -o addr show eno1; ip -4 -o addr show eno1 | grep -v dynamic | grep -q "10.62.8.32/25" && ! ip route | grep "proto dhcp"'
  check 'resolvers and search domain are the planned ones' 'resolvectl status eno1; resolvectl dns eno1 | grep -q 10.62.8.53 && resolvectl domain eno1 | grep -q lr.kestrelferries.example'
  check 'names resolve' 'getent hosts registry.lr.kestrelferries.example'
  check 'time comes from the planned servers alone' 'cat /etc/chrony/chrony.conf /etc/chrony/*.d/* > /run/time-servers; grep -qE "^server [0-9]" /run/time-servers && ! grep -E "^(server|pool) .*debian" /run/time-servers'
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
  say END
} > /dev/null 2>&1 &
exit 0
