import { poolsOf } from '../../charter/pools.ts';
import { at, each, setTo } from '../check.ts';

/** Labels of the project's own domains that a kubelet may give its node (kubelet, `--node-labels`); all others of them it may not. */
const allowed =
  /^(kubelet\.kubernetes\.io|node\.kubernetes\.io|[^/]+\.(kubelet|node)\.kubernetes\.io)\/|^(beta\.kubernetes\.io\/(arch|instance-type|os)|failure-domain\.beta\.kubernetes\.io\/(region|zone)|kubernetes\.io\/(arch|hostname|os)|topology\.kubernetes\.io\/(region|zone))$/;
const mayNot = (label: string) => {
  const [key = ''] = label.split('=');
  return /(^|\.)(kubernetes|k8s)\.io\//.test(key) && !allowed.test(key);
};

export const CHT027 = each('Charter', {
  code: 'CHT-027',
  severity: 'stop',
  about: 'a pool has a label that a node may not give itself',
  find: (d) =>
    poolsOf(d).flatMap((pool) =>
      pool.labels.flatMap((label, i) =>
        mayNot(label)
          ? [
              at(d, [...pool.path, 'labels', i], {
                title: `${label} is not for a node to set`,
                text: `A kubelet that is told labels of kubernetes.io or k8s.io, but for a few, does not start. Those of a domain of your own are free.`,
                remedy: setTo(
                  d,
                  [...pool.path, 'labels'],
                  pool.labels.length > 1 ? pool.labels.filter((_, k) => k !== i) : undefined,
                  'Take it out',
                ),
              }),
            ]
          : [],
      ),
    ),
});
