import { isOpen } from '@praesidor/core/images';
import { anywhere, Dialer, Exits } from '@praesidor/protocols/dial';
import type { RegistryAt } from '@praesidor/protocols/oci';
import { Bundler, carryBlob, fetchPiece, Pacer } from '@praesidor/shipping';
import { errorOf, faultOf, type TransferEvent, type TransferCommand, type Route } from './messages.ts';

/**
 * The program of the transfer process. What travels passes here and not through the process that answers people: a gigabyte is
 * 65,000 pieces of TLS, and what they leave behind is cleared away in a small heap instead of a large one.
 */
/** Connections to one registry: as many small blobs are on their way at once. */
const lanes = 16;
interface Open {
  source: RegistryAt;
  to: RegistryAt | undefined;
  dialer: Dialer;
  pacer: Pacer | undefined;
  bundler: Bundler | undefined;
  stop: AbortController;
}
const routes = new Map<number, Open>();
const calls = new Map<number, { done: (value: string) => void; fail: (e: Error) => void }>();
let last = 0;
const say = (news: TransferEvent) => process.send?.(news);
/** Asks the server, which knows resolvers and database. */
const ask = (question: { route: number; address: string } | { id: number; opened: string }) =>
  new Promise<string>((done, fail) => {
    const call = ++last;
    calls.set(call, { done, fail });
    say({ call, ...question } as TransferEvent);
  });

/** Bytes that were not told yet, by blob: told together some twenty times a second. */
const pendingBytes = new Map<number, number>();
let telling: NodeJS.Timeout | undefined;
function count(id: number, bytes: number) {
  pendingBytes.set(id, (pendingBytes.get(id) ?? 0) + bytes);
  telling ??= setTimeout(tellBytes, 50);
}
function tellBytes() {
  clearTimeout(telling);
  telling = undefined;
  for (const [id, bytes] of pendingBytes) say({ id, bytes });
  pendingBytes.clear();
}

function open(route: number, what: Route) {
  // The server, which is asked for every address, decides what may be connected to.
  const dialer = new Dialer(new Exits(what.addressMap, anywhere), (address) => ask({ route, address }), lanes);
  const stop = new AbortController();
  const { way } = what;
  const source: RegistryAt = { ...what.source, dialer, signal: stop.signal };
  const to: RegistryAt | undefined = what.to && { ...what.to, dialer, signal: stop.signal };
  const pacer = way && new Pacer(way.rateMbit, (now) => isOpen(way, what.timezone, now));
  routes.set(route, { dialer, stop, source, to, pacer, bundler: to && new Bundler(source, to, pacer) });
}
/** One blob or piece: its bytes are told as they pass, and how it ended. */
async function pass(o: Extract<TransferCommand, { id: number }>) {
  const { id } = o;
  const hooks = { onBytes: (bytes: number) => count(id, bytes), onCut: () => say({ id, cut: true }) };
  try {
    const r = routes.get(o.route);
    if (!r) throw new Error('the transfer of this shipment has ended');
    let done = '';
    if (o.do === 'fetch') done = await fetchPiece(r.source, o.what, hooks);
    else if (!r.to) throw new Error('this transfer has no target registry');
    else {
      const onWrong = () => say({ id, wrong: true });
      const onOpened = async (opened: string) => void (await ask({ id, opened }));
      if (!(await r.bundler?.take(o.what, { ...hooks, onWrong })))
        await carryBlob(r.source, r.to, o.what, r.pacer, { ...hooks, onWrong, onOpened });
    }
    tellBytes();
    say({ id, done });
  } catch (e) {
    say({ id, fault: faultOf(e) });
  }
}

process.on('message', (o: TransferCommand) => {
  if (o.do === 'open') open(o.route, o.what);
  else if (o.do === 'carry' || o.do === 'fetch') void pass(o);
  else if (o.do === 'stop') {
    const r = routes.get(o.route);
    routes.delete(o.route);
    r?.stop.abort();
    void r?.dialer.close();
  } else {
    const c = calls.get(o.call);
    calls.delete(o.call);
    if (o.fault) c?.fail(errorOf(o.fault));
    else c?.done(o.value ?? '');
  }
});
// Whoever asked for it is gone: what it carried is gone on with by another.
process.on('disconnect', () => process.exit());
