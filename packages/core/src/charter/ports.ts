/** The port of an API server that nobody gave another (the default of its --secure-port). */
export const usualApiPort = 6443;

/**
 * TCP ports that programs of a control-plane host have at its own address or at every address of it, and who has them.
 * Those at loopback only (controller manager, scheduler, proxy, health of the kubelet and the load balancer) leave the port to the API.
 */
export const portsOfControlPlane: Readonly<Record<number, string>> = {
  22: 'the log-in',
  2379: 'etcd, for its clients',
  2380: 'etcd, for its members',
  10250: 'the kubelet',
};
