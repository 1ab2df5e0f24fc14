import type { PlannedNode } from '../../charter/plan.ts';
import { file, type KitContext, type KitFile } from '../kit.ts';

/**
 * The network boot script of a host: kernel and initial file system by digest, first-boot data from the same place. No
 * address stands on the kernel's line: cloud-init would take it for the whole network configuration.
 */
export function ipxe(ctx: KitContext, node: PlannedNode): KitFile[] {
  const base = ctx.bootUrl(node.host);
  const lines = [
    '#!ipxe',
    `# ${node.host}, ${node.role} of ${ctx.plan.charter.name}`,
    `kernel ${base}/blob/${ctx.boot?.kernel ?? 'kernel'} initrd=initrd ds=nocloud-net;s=${base}/ || goto failed`,
    `initrd --name initrd ${base}/blob/${ctx.boot?.initrd ?? 'initrd'} || goto failed`,
    'boot || goto failed',
    ':failed',
    `echo ${node.host} could not boot; the next try is in 30 seconds`,
    'sleep 30',
    `chain ${base}/boot.ipxe`,
  ];
  return [file(`hosts/${node.host}/boot.ipxe`, lines.join('\n'), ['charter.release', 'build'], true)];
}
