# Runs in the emulated guest at each of its starts: first when it was cast from its disk image, then after a power cut with all images here.
. /run/checks/common.sh
if [ ! -e /var/lib/praesidor/checked ]; then
  until [ -e /var/lib/praesidor/joined ]; do sleep 2; done
  ended
  check 'first-boot data were read over TLS, from where the hypervisor says' 'grep -q DataSourceNoCloudNet /var/log/cloud-init.log && grep -q ds=nocloud-net /sys/class/dmi/id/product_serial'
  first_boot
  network ''
  check 'the root takes its whole volume' '[ "$(df -B1 --output=size / | tail -n 1)" -gt 30000000000 ]'
  check 'containers have a volume of their own' 'findmnt -no SOURCE,FSTYPE /var/lib/containerd | grep "^/dev/vdb1 *ext4"'
  node
  cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub > /var/lib/praesidor/checked
  sync
  systemd-analyze > /dev/ttyS0; systemd-analyze blame | head -30 > /dev/ttyS0
  say FIRST END
  exit
fi
until systemctl is-active kubelet; do sleep 2; done
ended
network ', after a power cut'
check 'it is who it was' 'cat /etc/machine-id /etc/ssh/ssh_host_ed25519_key.pub | cmp - /var/lib/praesidor/checked'
check 'containers have their volume again' 'findmnt -no SOURCE,FSTYPE /var/lib/containerd | grep "^/dev/vdb1 *ext4"'
still_here
check 'what was put while it ran is there' 'grep -qx put /etc/praesidor/probe && grep -qx "build 99" /var/lib/praesidor/joined'
check 'what was started comes back by itself' 'systemctl is-active kubelet containerd'
check 'no unit failed after a power cut' 'systemctl --failed --no-legend; [ -z "$(systemctl --failed --no-legend)" ]'
say SECOND END
poweroff
