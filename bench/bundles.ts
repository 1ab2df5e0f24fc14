import type { BundleBrought, BundleChanges, BundleMade, BundleTaken, OtherInstallations } from '@praesidor/contract';
import { type Client, Installation } from '../apps/server/test/installation.ts';
import { largeEstate } from '../demo/large/estate.ts';
import { row } from './measure.ts';

/** Documents that are written at a time. */
const atOnce = 5000;

/** A bundle made, read, looked at and taken in by another installation: of Lantern Rock, and of a hundred sites of an estate of ten thousand hosts. */
export async function bundles() {
  await exchange('Lantern Rock', false, ['lr'], 2000);
  const docs = largeEstate({ hosts: 10_000, sites: 300 });
  const sites = docs.flatMap((d) => (d.kind === 'Site' ? [d.name] : [])).slice(0, 100);
  await exchange('100 sites', true, sites, 20_000);

  async function exchange(what: string, large: boolean, of: readonly string[], most: number) {
    const home = new Installation();
    const room = new Installation();
    try {
      await home.start({ bare: large });
      await room.start({ bare: true, beside: home });
      if (large) for (let at = 0; at < docs.length; at += atOnce) await home.declare(docs.slice(at, at + atOnce));
      const [h, r] = [await home.as('warden'), await room.as('warden')];
      const key = async (c: Client) => (await c.good<OtherInstallations>('GET', '/api/installations')).own.key;
      await h.good('POST', '/api/trust/installations', { name: 'room', key: await key(r) });
      await r.good('POST', '/api/trust/installations', { name: 'home', key: await key(h) });
      await h.good('PUT', '/api/installations/room/sites', { sites: of });
      const took: Record<string, number> = {};
      const time = async <T>(name: string, act: () => Promise<T>): Promise<T> => {
        const began = performance.now();
        const done = await act();
        took[name] = performance.now() - began;
        return done;
      };
      const { id } = await time('made', () => h.good<BundleMade>('POST', '/api/installations/room/bundles'));
      const file = await (await fetch(`${h.url}/api/bundles/${id}/file`, { headers: { cookie: h.cookie } })).arrayBuffer();
      const brought = await time('brought', async () => {
        const a = await fetch(`${r.url}/api/bundles`, {
          method: 'POST',
          headers: { cookie: r.cookie, 'x-csrf-token': r.csrf, 'content-type': 'application/gzip' },
          body: file,
        });
        return (await a.json()) as BundleBrought;
      });
      const seen = await time('looked at', () => r.good<BundleChanges>('GET', `/api/bundles/${brought.id}`));
      const taken = await time('taken in', () =>
        r.good<BundleTaken>('POST', `/api/bundles/${brought.id}/take-in`, { choices: [] }),
      );
      const slowest = Math.max(...Object.values(took));
      row(
        `bundle of ${what}: ${taken.documents} documents, ${Math.round(file.byteLength / 1000)} kB`,
        Object.entries(took)
          .map(([name, ms]) => `${name} ${Math.round(ms)} ms`)
          .join(', '),
        `each ≤ ${most} ms`,
        slowest <= most && taken.documents === seen.changes.length,
      );
    } finally {
      await room.stop();
      await home.stop();
    }
  }
}
