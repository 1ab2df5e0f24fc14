import type { PlannedNode } from '../../charter/plan.ts';
import { file, type KitContext, type KitFile } from '../kit.ts';

/**
 * What the kernel of a host is told: where first-boot data comes from. No address stands there: cloud-init would take it for
 * the whole network configuration.
 */
export const kernelLine = (ctx: KitContext, host: string): string => `ds=nocloud-net;s=${ctx.bootUrl(host)}/`;

/** The same as a file: what the program is given that firmware boots. */
export const commandLine = (ctx: KitContext, node: PlannedNode): KitFile[] => [
  file(`hosts/${node.host}/kernel.cmdline`, kernelLine(ctx, node.host), ['charter.release', 'build'], true),
];

/** The network boot script of a host, for iPXE: kernel and initial file system by digest, first-boot data from the same place. */
export function ipxe(ctx: KitContext, node: PlannedNode): KitFile[] {
  const base = ctx.bootUrl(node.host);
  const lines = [
    '#!ipxe',
    `# ${node.host}, ${node.role} of ${ctx.plan.charter.name}`,
    `kernel ${base}/blob/${ctx.boot?.kernel ?? 'kernel'} initrd=initrd ${kernelLine(ctx, node.host)} || goto failed`,
    `initrd --name initrd ${base}/blob/${ctx.boot?.initrd ?? 'initrd'} || goto failed`,
    'boot || goto failed',
    ':failed',
    `echo ${node.host} could not boot; the next try is in 30 seconds`,
    'sleep 30',
    `chain ${base}/boot.ipxe`,
  ];
  return [file(`hosts/${node.host}/boot.ipxe`, lines.join('\n'), ['charter.release', 'build'], true)];
}
