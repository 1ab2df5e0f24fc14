import { storageNodes } from '../../charter/aspects/storage.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

/** Where volumes lie on a node: beside the layers of containers, on the disk that is theirs. */
export const volumeFolder = '/var/lib/containerd/volumes';

/** The folders of classes that are kept on one host (tmpfiles.d(5)); a local volume is mounted from one. */
export const volumes: NodeWriter = {
  name: 'folders of volumes',
  write: ({ plan }, node) => {
    const local = plan.storage.filter((c) => c.kind === 'local');
    if (!local.length || !storageNodes(plan.nodes).some((n) => n.host === node.host)) return [];
    const folders = [volumeFolder, ...local.map((c) => `${volumeFolder}/${c.name}`)];
    return [
      nodeFile('/etc/tmpfiles.d/praesidor-volumes.conf', folders.map((f) => `d ${f} 0755 root root -`).join('\n'), [
        'charter.storage',
      ]),
    ];
  },
};
