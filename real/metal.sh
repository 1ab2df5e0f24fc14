# Runs in the emulated machine at each of its starts, and says on its serial console what holds there: first from the medium that its
# controller plays, then from its disk after a power cut, then once more from its disk.
. /run/checks/common.sh
disks() {
  check "containers have a disk of their own$1" 'findmnt -no SOURCE,FSTYPE /var/lib/containerd | grep "^/dev/nvme.n1p1 *ext4"; lsblk -no SERIAL "/dev/$(lsblk -no PKNAME "$(findmnt -no SOURCE /var/lib/containerd)")" | grep -x HW70002L-D2'
  check "what the node remembers lies on the system disk$1" 'for at in /var/lib/praesidor /var/lib/kubelet /var/lib/etcd; do findmnt -no SOURCE $at | grep "^/dev/nvme.n1p2" || exit 1; done'
}

if grep -q praesidor.files /proc/cmdline; then
  ended
  check 'first-boot data were read from the medium' 'grep -o "DataSourceNoCloud \[seed=.*" /var/log/cloud-init.log | tail -n 1 | tee /dev/stderr | grep -q "seed=.*/dev/sr0"'
  first_boot
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
  node
  cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub > /var/lib/praesidor/checked
  say SECOND END
  # Files of a later change are put here while it runs.
  until [ "$(cat /var/lib/praesidor/joined)" = 'build 99' ]; do sleep 2; done
  flock /run/praesidor-put.lock true
  check 'what was put lies in its place' 'grep -qx put /etc/praesidor/probe && [ "$(stat -c %a:%U /etc/kubernetes/pki/kubelet.key)" = 600:root ]'
  check 'what reads it was started anew, and nothing else' 'journalctl -u kubelet --no-pager | grep -c Stopped | grep -qx 1'
  until systemctl is-active kubelet; do sleep 1; done
  say PUT END
  reboot
  exit
fi
until systemctl is-active kubelet; do sleep 2; done
ended
network ', after a restart'
disks ', after a restart'
check 'it is who it was' 'cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub | cmp - /var/lib/praesidor/checked'
still_here
check 'what was put while it ran is there: it started from that' 'grep -qx put /etc/praesidor/probe && grep -qx "build 99" /var/lib/praesidor/joined'
check 'what was started comes back by itself' 'systemctl is-active kubelet keepalived containerd'
check 'no unit failed after a restart' 'systemctl --failed --no-legend; [ -z "$(systemctl --failed --no-legend)" ]'
say THIRD END
poweroff
