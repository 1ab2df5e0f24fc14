import { formatRange, parseRange, size } from '../address/parse.ts';
import { openIn } from '../ledger/open.ts';
import type { Charter, Network } from '../model/documents.ts';
import type { View } from '../reading/index.ts';
import { type Remedy, setTo } from './check.ts';

/** A remedy that moves the service pool of a charter to a block of its size that nobody has; none where there is no such block. */
export function movePool(c: Charter, n: Network, view: View): { remedy?: Remedy } {
  if (!c.servicePool) return {};
  const count = Number(size(parseRange(c.servicePool.range)));
  const space = openIn(view, n);
  for (const p of n.pools) space.take(parseRange(p.range));
  const start = space.freeBlock(count, 16n) ?? space.freeBlock(count);
  if (!start) return {};
  const to = formatRange({ v: start.v, first: start.n, last: start.n + BigInt(count) - 1n });
  return { remedy: setTo(c, ['servicePool', 'range'], to, `Move pool to ${to.replace('-', ' – ')}`) };
}
