import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, describe, expect, it } from 'vitest';
import type { KubeObject } from './kinds.ts';
import { Versions, watch } from './watch.ts';

const claim = (name: string, more: object = {}): KubeObject => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'apps' },
  ...more,
});
const ends: (() => void)[] = [];
afterEach(() => {
  for (const end of ends.splice(0)) end();
});

/** The lines that a client of this watch reads, as type and name, until there are so many. */
async function heard(objects: () => KubeObject[], versions: Versions, from: string | null, count: number): Promise<string[]> {
  const server = createServer((_req, res) => {
    const held = versions.at('claims', from);
    if (!held) return void res.writeHead(410).end();
    void watch(objects, held, (told) => versions.next('claims', told), new URLSearchParams({ timeoutSeconds: '20' }), res);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const stop = new AbortController();
  ends.push(() => {
    stop.abort();
    server.closeAllConnections();
    server.close();
  });
  const answer = await fetch(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`, { signal: stop.signal });
  if (answer.status !== 200) return [`HTTP ${answer.status}`];
  if (!count) return [];
  let text = '';
  for await (const chunk of answer.body ?? []) {
    text += Buffer.from(chunk).toString();
    const lines = text.split('\n').slice(0, -1);
    if (lines.length >= count)
      return lines.map((line) => {
        const { type, object } = JSON.parse(line) as { type: string; object: KubeObject };
        return `${type} ${object.metadata.name}`;
      });
  }
  return [];
}

describe('a watch', () => {
  it('tells everything at first, to whoever names no version', async () => {
    expect(await heard(() => [claim('a'), claim('b')], new Versions(), null, 2)).toEqual(['ADDED a', 'ADDED b']);
  });
  it('from a version tells what came, changed and went after it, also before the watch began', async () => {
    const versions = new Versions();
    const version = versions.next('claims', [claim('stays'), claim('changes'), claim('goes')]);
    const now = [claim('stays'), claim('changes', { spec: { volumeName: 'v-1' } }), claim('comes')];
    expect(await heard(() => now, versions, version, 3)).toEqual(['MODIFIED changes', 'ADDED comes', 'DELETED goes']);
  });
  it('is answered at once, also while there is nothing to tell', async () => {
    const versions = new Versions();
    expect(await heard(() => [claim('a')], versions, versions.next('claims', [claim('a')]), 0)).toEqual([]);
  }, 10_000);
  it('goes on from the version that came with the last line', async () => {
    const versions = new Versions();
    const first = versions.next('claims', []);
    expect(await heard(() => [claim('a')], versions, first, 1)).toEqual(['ADDED a']);
    const last = String(Number(first) + 1);
    expect(await heard(() => [claim('a'), claim('b')], versions, last, 1)).toEqual(['ADDED b']);
  });
  it('from a version that is not known, or that another list was told, is refused: the client lists anew', async () => {
    const versions = new Versions();
    const nodes = versions.next('nodes', []);
    expect(await heard(() => [], versions, '77', 1)).toEqual(['HTTP 410']);
    expect(await heard(() => [], versions, nodes, 1)).toEqual(['HTTP 410']);
    const first = versions.next('claims', []);
    for (let i = 0; i < 20_000; i++) versions.next('claims', []);
    expect(await heard(() => [], versions, first, 1)).toEqual(['HTTP 410']);
  });
});
