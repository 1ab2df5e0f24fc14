/** The port of an API server that nobody gave another (the default of its --secure-port). */
export const usualApiPort = 6443;

/** TCP ports that programs of a control-plane host have at its own address or at every address of it, and who has them. */
export const portsOfControlPlane: Readonly<Record<number, string>> = {
  22: 'the log-in',
  2379: 'etcd, for its clients',
  2380: 'etcd, for its members',
  8405: 'the load balancer, for its own state',
  10248: 'the kubelet, for its own state',
  10249: 'kube-proxy, for its figures',
  10250: 'the kubelet',
  10256: 'kube-proxy, for its own state',
  10257: 'the controller manager',
  10259: 'the scheduler',
};
