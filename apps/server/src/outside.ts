import type { DataSource } from 'typeorm';
import { serverList } from '@praesidor/core/address';
import type { Site } from '@praesidor/core/model';
import { inZone } from '@praesidor/core/naming';
import { Dialer, ProtocolError } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import type { Config } from './config.ts';
import { docTables } from './db/tables.ts';

/**
 * The way out of this process: names are asked of the resolvers of the site whose domain they lie in, then
 * of the open sites' resolvers. No other resolver is ever asked.
 */
export function makeDialer(config: Config, db: DataSource): Dialer {
  // Who did not answer is asked last for a while: a resolver that is away holds up nobody twice.
  const silent = new Map<string, number>();
  return new Dialer(config.detours, async (name) => {
    const sites = (await db.manager.find(docTables.Site)).map((r) => r.doc as Site);
    const own = sites.filter((s) => inZone(name, s.domain));
    const open = sites.filter((s) => s.reach === 'open' && !own.includes(s));
    const servers = [...new Set([...own, ...open].flatMap((s) => serverList(s.resolvers).servers))];
    const late = (address: string) => Number((silent.get(address) ?? 0) > Date.now());
    servers.sort((a, b) => late(a) - late(b));
    let last: unknown;
    for (const address of servers) {
      try {
        const [a] = await lookup({ address, detours: config.detours, timeoutMs: 500 }, name, 'A');
        if (a) return a;
      } catch (e) {
        last = e;
        if (e instanceof ProtocolError && ['silent', 'refused'].includes(e.fault)) silent.set(address, Date.now() + 30_000);
      }
    }
    throw last instanceof ProtocolError && last.fault === 'silent'
      ? last
      : new ProtocolError(
          'missing',
          name,
          `no resolver knows this name (asked ${servers.join(', ') || 'none: no resolvers are declared'})`,
        );
  });
}
