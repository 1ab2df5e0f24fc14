# What the emulated machines check of themselves. Whoever reads this says before: nic, address (with its length), resolver, domain, registry.
say() { echo "CHECK $*" > /dev/ttyS0; }
check() {
  if out=$(timeout 90 sh -c "$2" 2>&1); then say "PASS $1"; else say "FAIL $1: $(echo "$out" | tail -n 4 | tr '\n' ' ' | tail -c 300)"; fi
}
# A guest whose first boot is over has it switched off.
ended() { until cloud-init status | grep -qE 'done|error|disabled'; do sleep 2; done; }
network() {
  check "the adapter has its planned name$1" "ip -br link show $nic"
  check "the address is the planned one, and no lease$1" "ip -4 -o addr show $nic; ip -4 -o addr show $nic | grep -v dynamic | grep -q $address && ! ip route | grep 'proto dhcp'"
  check "resolvers and search domain are the planned ones$1" "resolvectl status $nic; resolvectl dns $nic | grep -q $resolver && resolvectl domain $nic | grep -q $domain"
  check "names resolve$1" "getent hosts $registry"
}
# Data that lie in the machine are read before there is a network: what is reported by then goes nowhere.
first_boot() {
  check 'cloud-init ended without an error' 'cat /run/cloud-init/result.json; grep -q "\"errors\": \[\]" /run/cloud-init/result.json'
  check 'every key of user-data is known' 'cloud-init schema --system'
  check 'reports were sent, and taken' 'grep -q "webhook" /var/log/cloud-init.log; ! grep "Failed posting event" /var/log/cloud-init.log | grep -v "\"name\": \"init-local" | grep .'
}
# A node with all its images, before its kubelet has anybody to talk to.
node() {
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
  check 'haproxy takes its file' '[ ! -e /etc/haproxy/haproxy.cfg ] || haproxy -c -f /etc/haproxy/haproxy.cfg'
  check 'no swap is used' '[ -z "$(swapon --noheadings)" ]'
  check 'no unit failed' 'systemctl --failed --no-legend; [ -z "$(systemctl --failed --no-legend)" ]'
}
still_here() {
  check 'every image is still here' '[ "$(ctr -n k8s.io images ls -q | grep -cxFf /etc/praesidor/images.list)" = "$(wc -l < /etc/praesidor/images.list)" ]'
}
