import type { ServerResponse } from 'node:http';
import type { KubeObject } from './kinds.ts';

/**
 * Streams what becomes of a list (Kubernetes API concepts, "Efficient detection of changes"): every object at first, then each that is
 * added, modified or deleted, a line of JSON each; until whoever asks goes away, `timeoutSeconds` are over, or the API is gone (undefined).
 */
export async function watch(
  list: () => KubeObject[] | undefined,
  version: () => string,
  params: URLSearchParams,
  res: ServerResponse,
): Promise<void> {
  res.writeHead(200, { 'content-type': 'application/json' });
  const end = Date.now() + 1000 * Number(params.get('timeoutSeconds') ?? 1800);
  const seen = new Map<string, { text: string; object: KubeObject }>();
  // Clients that go on after a break want a version with each.
  const tell = (type: string, object: KubeObject) =>
    res.write(
      `${JSON.stringify({ type, object: { ...object, metadata: { ...object.metadata, resourceVersion: version() } } })}\n`,
    );
  while (!res.destroyed && Date.now() < end) {
    const now = list();
    if (!now) break;
    const here = new Set<string>();
    for (const object of now) {
      const key = `${object.metadata.namespace ?? ''}/${object.metadata.name}`;
      here.add(key);
      const text = JSON.stringify(object);
      const before = seen.get(key);
      if (before?.text === text) continue;
      seen.set(key, { text, object });
      tell(before ? 'MODIFIED' : 'ADDED', object);
    }
    for (const [key, { object }] of seen)
      if (!here.has(key)) {
        seen.delete(key);
        tell('DELETED', object);
      }
    await new Promise((done) => setTimeout(done, 100));
  }
  res.end();
}
