import {
  holds,
  isIp,
  overlaps,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  type Range,
  serverList,
} from '../address/parse.ts';
import type { Doc } from '../model/documents.ts';

/** Addresses that are somebody's by the plan, and whose. */
export interface Spoken {
  /** One address, or a range `10.62.8.64-10.62.8.79`. */
  range: string;
  by: string;
}

/** Host part of `name:port`, `https://name:port/path` or a bare address. */
const hostOf = (endpoint: string): string =>
  endpoint
    .replace(/^https?:\/\//, '')
    .replace(/\/.*$/, '')
    .replace(/^\[([^\]]+)\].*$/, '$1')
    .replace(/^([^:]+):\d+$/, '$1');

/**
 * The addresses that a document speaks for without a reservation, wherever they lie: resolvers and time servers, name servers, next
 * hops, controllers, hypervisors and registries declared by address; of a charter its API, its inbound address and its service pool.
 */
export function spokenBy(doc: Doc): Spoken[] {
  const out: Spoken[] = [];
  const address = (text: string | undefined, by: string) => {
    if (text !== undefined && isIp(text)) out.push({ range: text, by });
  };
  switch (doc.kind) {
    case 'Site':
    case 'Network':
      for (const a of serverList(doc.resolvers ?? []).servers) address(a, `resolver of ${doc.name}`);
      for (const a of serverList(doc.ntp ?? []).servers) address(a, `time server of ${doc.name}`);
      if (doc.kind === 'Network') for (const r of doc.routes) address(r.via, `next hop of ${doc.name}`);
      break;
    case 'Gateway':
      for (const m of doc.members) for (const f of m.interfaces) address(f.address, m.name);
      for (const a of doc.addresses) address(a.address, `gateway ${doc.name}`);
      for (const n of doc.nat) address(n.to, `outbound address of ${doc.name}`);
      break;
    case 'Zone':
      address(doc.primary, `name server of ${doc.name}`);
      break;
    case 'Host':
      address(doc.bmc?.address, `controller of ${doc.name}`);
      break;
    case 'Hypervisor':
      address(hostOf(doc.endpoint), `hypervisor ${doc.name}`);
      break;
    case 'Registry':
      address(hostOf(doc.endpoint), `registry ${doc.name}`);
      break;
    case 'BackupStore':
      address(doc.server, `NFS server of ${doc.name}`);
      if (doc.endpoint) address(hostOf(doc.endpoint), `object store ${doc.name}`);
      break;
    case 'Charter':
      address(doc.api.address, `API of ${doc.name}`);
      address(doc.inbound.address, `inbound of ${doc.name}`);
      if (doc.servicePool) out.push({ range: doc.servicePool.range, by: `service pool of ${doc.name}` });
      break;
  }
  return out;
}

/** Kinds of which documents speak for addresses. */
export const speakers = [
  'Site',
  'Network',
  'Gateway',
  'Zone',
  'Host',
  'Hypervisor',
  'Registry',
  'BackupStore',
  'Charter',
] as const;

export const liesIn = (s: Spoken, whole: Range): boolean =>
  s.range.includes('-') ? overlaps(parseRange(s.range), whole) : holds(whole, parseIp(s.range));

/** Bits of a block of addresses: fine for small networks, coarse for large ones. */
const fine = { 4: 24, 6: 64 } as const;
const coarse = { 4: 16, 6: 48 } as const;
/** A range that spans more blocks than this is in the block of everything. */
const most = 64n;
const everywhere = 'everywhere';

function blocksOf(r: Range, length: number): string[] {
  const shift = BigInt((r.v === 4 ? 32 : 128) - length);
  const [first, last] = [r.first >> shift, r.last >> shift];
  if (last - first >= most) return [everywhere];
  const out: string[] = [];
  for (let n = first; n <= last; n++) out.push(`${r.v}/${n}`);
  return out;
}

/** The blocks that a document's addresses lie in, of the finer or the coarser size. */
export function spokenBlocks(doc: Doc, size: 'fine' | 'coarse'): string[] {
  const found = new Set<string>();
  for (const s of spokenBy(doc)) {
    const r = parseRange(s.range);
    for (const b of blocksOf(r, (size === 'fine' ? fine : coarse)[r.v])) found.add(b);
  }
  return [...found];
}

/** Where to look for what is spoken for in a prefix: the size of blocks and the blocks; undefined where everything must be looked at. */
export function blocksUnder(prefix: string): { size: 'fine' | 'coarse'; blocks: string[] } | undefined {
  const whole = prefixRange(parsePrefix(prefix));
  for (const size of ['fine', 'coarse'] as const) {
    const blocks = blocksOf(whole, (size === 'fine' ? fine : coarse)[whole.v]);
    if (blocks[0] !== everywhere && blocks.length <= 16) return { size, blocks: [...blocks, everywhere] };
  }
  return undefined;
}
