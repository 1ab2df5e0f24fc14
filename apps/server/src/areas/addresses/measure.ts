import { execFile } from 'node:child_process';
import type { Measured } from '@praesidor/contract';
import { endOf, graphOf } from '@praesidor/core/reach';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { measureFrom } from '../builds/measure-from.ts';

/** The ports that clusters answer at, where none is said. */
const usual = { api: 6443, other: 443 };

/**
 * Whether an end of a path takes connections (TCP), asked from this machine, or from a host of a cluster that stands: how long that took, and the largest packet that passes whole, as the kernel has found it
 * for that connection (RFC 4821). Nothing is sent.
 */
export async function measure(ctx: Context, to: string, asked?: number, from?: string): Promise<Measured> {
  const { estate } = await loadEstate(ctx.db.manager);
  const end = (() => {
    try {
      return endOf(estate, graphOf(estate), to);
    } catch (e) {
      throw new Refusal('invalid', (e as Error).message, {
        remedy: 'Name an address, a host, a cluster, or one of its services.',
      });
    }
  })();
  if (asked === undefined && end.port?.protocol === 'udp')
    throw new Refusal('invalid', `${end.label} answers by UDP, and a path is measured by a connection of TCP.`, {
      remedy: 'Name a TCP port at which a node is asked.',
    });
  const [name = '', of] = to.split('/');
  const charter = estate.charters.find((c) => c.name === name);
  const planned = charter?.servicePool?.services?.find((s) => s.name === of)?.port;
  const port =
    asked ?? end.port?.number ?? planned ?? (charter && (!of || of === 'api') ? (charter.api.port ?? usual.api) : usual.other);
  const base = { to: end.label, address: end.address, port, at: new Date().toISOString(), from: null };
  if (from !== undefined) {
    const { host, via, link, mtu, ...how } = await measureFrom(ctx, estate, needIn(estate, 'Host', from), end.address, port);
    return { ...base, ...how, from: { host, via, link, mtu } };
  }
  const began = performance.now();
  try {
    const socket = await ctx.dialer.connect({ purpose: 'cluster', host: end.address, port, tls: false });
    const ms = performance.now() - began;
    try {
      return { ...base, answered: true, ms, pathMtu: await pathMtu(socket.localPort, socket.remotePort), why: null };
    } finally {
      socket.destroy();
    }
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    if (e.fault === 'kept-back')
      throw new Refusal('not-now', e.message, {
        remedy: 'Measured are addresses of clusters: the API, what comes in, nodes and services.',
      });
    return { ...base, answered: false, ms: performance.now() - began, pathMtu: null, why: e.message };
  }
}

/** What the kernel knows of a connection's path (ss(8), `pmtu`); null where it does not say. */
function pathMtu(local: number | undefined, remote: number | undefined): Promise<number | null> {
  return new Promise((done) => {
    if (!local || !remote) return done(null);
    execFile('ss', ['-tinH', `sport = :${local} and dport = :${remote}`], { timeout: 2000 }, (_, out) => {
      const found = /\bpmtu:(\d+)/.exec(out ?? '')?.[1];
      done(found ? Number(found) : null);
    });
  });
}
