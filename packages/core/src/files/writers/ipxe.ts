import type { PlannedNode } from '../../charter/plan.ts';
import { file, type KitContext, type KitFile } from '../kit.ts';

/** The network boot script of a host: kernel and initial file system by digest, first-boot data from the same place. */
export function ipxe(ctx: KitContext, node: PlannedNode): KitFile[] {
  const base = ctx.bootUrl(node.host);
  const lines = [
    '#!ipxe',
    `# ${node.host}, ${node.role} of ${ctx.plan.charter.name}`,
    `kernel ${base}/blob/${ctx.boot?.kernel ?? 'kernel'} initrd=initrd ds=nocloud;s=${base}/ ip=${node.address}::${ctx.plan.network?.gateway ?? ''}:${mask(ctx.plan.network?.prefix)}:${node.host}::none || goto failed`,
    `initrd --name initrd ${base}/blob/${ctx.boot?.initrd ?? 'initrd'} || goto failed`,
    'boot || goto failed',
    ':failed',
    `echo ${node.host} could not boot; the next try is in 30 seconds`,
    'sleep 30',
    `chain ${base}/boot.ipxe`,
  ];
  return [file(`hosts/${node.host}/boot.ipxe`, lines.join('\n'), ['charter.release', 'ledger', 'network.gateway'], true)];
}

function mask(prefix: string | undefined): string {
  const length = Number(prefix?.split('/')[1] ?? 24);
  return [0, 8, 16, 24].map((shift) => 256 - 2 ** (8 - Math.min(8, Math.max(0, length - shift)))).join('.');
}
