import type { Principal } from '@praesidor/core/access';
import { type Addon, type Doc, type Edit, type Release, readDocuments } from '@praesidor/core/model';
import { getManifest, readBlob, tagsOf } from '@praesidor/protocols/oci';
import { ProtocolError } from '@praesidor/protocols/dial';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { changePlan } from '../../estate/change.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';
import { openRegistry } from './registries.ts';

/** Where a source registry keeps the documents of what it publishes, one a name, as artifacts. */
export const offersRepository = 'praesidor/releases';
export const offerType = 'application/vnd.praesidor.release.v1+yaml';

export interface PublishedDocument {
  name: string;
  kind: 'Release' | 'Addon';
  version: string;
  components: number;
  state: 'new' | 'same' | 'differs';
  doc: Release | Addon;
}

/** Releases and add-ons that a source registry publishes as documents, against what the estate declares. */
export async function publishedAt(ctx: Context, name: string): Promise<{ published: PublishedDocument[]; faults: string[] }> {
  const { estate } = await loadEstate(ctx.db);
  const registry = needIn(estate, 'Registry', name);
  if (registry.role !== 'source') throw new Refusal('invalid', `${name} is no source registry.`);
  const r = await openRegistry(ctx, registry);
  const published: PublishedDocument[] = [];
  const faults: string[] = [];
  let tags: string[];
  try {
    tags = await tagsOf(r, offersRepository);
  } catch (e) {
    if (e instanceof ProtocolError && e.fault === 'missing')
      return { published, faults: [`${registry.endpoint} publishes no documents.`] };
    throw e;
  }
  for (const tag of tags.slice(0, 500)) {
    const m = await getManifest(r, offersRepository, tag);
    const layer = m.json.layers?.[0];
    if (!layer || layer.size > 4_000_000) {
      faults.push(`${tag} holds no document.`);
      continue;
    }
    const chunks: Buffer[] = [];
    for await (const c of await readBlob(r, offersRepository, layer.digest)) chunks.push(c as Buffer);
    const read = readDocuments(Buffer.concat(chunks).toString('utf8'), `${offersRepository}:${tag}`);
    const doc = read.docs[0]?.doc as Doc | undefined;
    if (read.faults.length || !doc || (doc.kind !== 'Release' && doc.kind !== 'Addon')) {
      faults.push(
        read.faults[0]
          ? `${tag}, line ${read.faults[0].line}: ${read.faults[0].message}`
          : `${tag} is neither a release nor an add-on.`,
      );
      continue;
    }
    // Where it was read from is where its images are: whoever wrote the document may call that registry otherwise.
    const offered = { ...doc, source: name };
    const own = (doc.kind === 'Release' ? estate.releases : estate.addons).find((x) => x.name === doc.name);
    published.push({
      name: doc.name,
      kind: doc.kind,
      version: doc.version,
      components: doc.components.length,
      state: !own ? 'new' : JSON.stringify(sorted(own)) === JSON.stringify(sorted(offered)) ? 'same' : 'differs',
      doc: offered,
    });
  }
  return { published, faults };
}

const sorted = (v: unknown): unknown =>
  Array.isArray(v)
    ? v.map(sorted)
    : v && typeof v === 'object'
      ? Object.fromEntries(
          Object.entries(v)
            .filter(([, x]) => x !== undefined)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([k, x]) => [k, sorted(x)]),
        )
      : v;

/** Declares what a source offers; undone, it is as before. */
export async function takePublished(
  ctx: Context,
  name: string,
  wanted: readonly string[],
  who: Principal,
): Promise<{ taken: string[]; act: number }> {
  const { published } = await publishedAt(ctx, name);
  const lost = wanted.find((w) => !published.some((o) => o.name === w));
  if (lost) throw new Refusal('not-found', `${name} does not offer ${lost} (any more).`);
  return ctx.db.transaction(async (m) => {
    const edits = published.filter((o) => wanted.includes(o.name)).map((o): Edit => ({ op: 'put', doc: o.doc }));
    const changes = await changePlan(m, who, edits, { act: 'releases.take', via: 'hand', note: 'declared releases' });
    for (const w of wanted) await ctx.queue.send(m, 'bills', w);
    const act = await record(m, who.login, 'declared releases', wanted.join(' '), { source: name }, changes, 'releases.take');
    return { taken: [...wanted], act };
  });
}
