import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Doc, type Kind, kinds, readDocuments } from '../src/model/index.ts';

const demo = join(import.meta.dirname, '../../../demo/estate');
/** Of what the demonstration has none, or one that is too large to read. */
const own: Partial<Record<Kind, object>> = {
  Profile: {
    kind: 'Profile',
    name: 'edge',
    title: 'Edge node',
    needs: [
      { fact: 'cores', atLeast: 8 },
      { fact: 'memory', atLeast: 32 },
      { fact: 'network', purpose: 'machine' },
    ],
  },
  Record: { kind: 'Record', zone: 'lr.kestrelferries.example', name: '_ntp._udp', type: 'SRV', value: '0 0 123 time' },
};

/** An example of every kind: the first of the demonstration that fits on a page. */
export function examples(): Record<Kind, Doc> {
  const docs = readdirSync(demo)
    .sort()
    .flatMap((f) => readDocuments(readFileSync(join(demo, f), 'utf8'), f).docs.map((d) => d.doc));
  const short = (d: Doc): Doc => ('components' in d ? { ...d, components: d.components.slice(0, 3) } : d);
  return Object.fromEntries(
    (Object.keys(kinds) as Kind[]).map((kind) => {
      const given = own[kind];
      const doc = given ? (kinds[kind].parse(given) as Doc) : docs.find((d) => d.kind === kind);
      if (!doc) throw new Error(`there is no example of ${kind}`);
      const { facts: _, ...plain } = short(doc) as Doc & { facts?: unknown };
      return [kind, plain as Doc];
    }),
  ) as Record<Kind, Doc>;
}
