import type { ServerResponse } from 'node:http';
import type { KubeObject } from './kinds.ts';

/** What a list held: each object's text and itself, by namespace and name. */
type Held = Map<string, { text: string; object: KubeObject }>;

const heldOf = (objects: readonly KubeObject[]): Held =>
  new Map(
    objects.map((object) => [
      `${object.metadata.namespace ?? ''}/${object.metadata.name}`,
      { text: JSON.stringify(object), object },
    ]),
  );

/** Objects that are remembered in all: a list of a large cluster is as good as many of small ones. */
const most = 20_000;
/**
 * What lists held, by the version under which that was told: whoever goes on from a version hears of everything that came after it
 * (Kubernetes API concepts, "Efficient detection of changes"), also of what went between its list and its watch. The last are kept.
 */
export class Versions {
  private last = 0;
  private count = 0;
  private readonly kept = new Map<string, { of: string; objects: readonly KubeObject[] }>();

  /** The next version, under which the list named `of` held this. */
  next(of: string, objects: readonly KubeObject[]): string {
    const version = String(++this.last);
    this.kept.set(version, { of, objects });
    this.count += objects.length + 1;
    for (const [old, { objects: gone }] of this.kept) {
      if (this.count <= most || old === version) break;
      this.kept.delete(old);
      this.count -= gone.length + 1;
    }
    return version;
  }
  /** What that list held then; nothing at first for whoever names no version; undefined when it is not known any more. */
  at(of: string, version: string | null): Held | undefined {
    if (!version || version === '0') return new Map();
    const kept = this.kept.get(version);
    return kept?.of === of ? heldOf(kept.objects) : undefined;
  }
}

/**
 * Streams what becomes of a list from `from` on: each object that is added, modified or deleted, a line of JSON each; until whoever
 * asks goes away, `timeoutSeconds` are over, or the API is gone (`list` is undefined). `versionOf` puts down what was told so far.
 */
export async function watch(
  list: () => KubeObject[] | undefined,
  from: Held,
  versionOf: (told: readonly KubeObject[]) => string,
  params: URLSearchParams,
  res: ServerResponse,
): Promise<void> {
  res.writeHead(200, { 'content-type': 'application/json' }).flushHeaders();
  const end = Date.now() + 1000 * Number(params.get('timeoutSeconds') ?? 1800);
  const told: Held = new Map(from);
  // Clients that go on after a break want a version with each.
  const tell = (type: string, object: KubeObject) =>
    res.write(
      `${JSON.stringify({ type, object: { ...object, metadata: { ...object.metadata, resourceVersion: versionOf([...told.values()].map((t) => t.object)) } } })}\n`,
    );
  while (!res.destroyed && Date.now() < end) {
    const objects = list();
    if (!objects) break;
    const now = heldOf(objects);
    for (const [key, one] of now) {
      const before = told.get(key);
      if (before?.text === one.text) continue;
      told.set(key, one);
      tell(before ? 'MODIFIED' : 'ADDED', one.object);
    }
    for (const [key, { object }] of told)
      if (!now.has(key)) {
        told.delete(key);
        tell('DELETED', object);
      }
    await new Promise((done) => setTimeout(done, 100));
  }
  res.end();
}
