import { parseAllDocuments } from 'yaml';
import { z } from 'zod';
import { plainAlias, plainSyntax } from './syntax.ts';

/** An object of the Kubernetes API that somebody brought, as far as it is looked at here. */
export interface BroughtObject {
  apiVersion: string;
  kind: string;
  metadata: { name: string; namespace?: string };
  [field: string]: unknown;
}
/** Kinds whose pods run on, and are counted: wanted, and ready. */
const programKinds: readonly string[] = ['DaemonSet', 'Deployment', 'StatefulSet'];
export const isProgram = (o: { apiVersion?: string | undefined; kind?: string | undefined }): boolean =>
  o.apiVersion === 'apps/v1' && programKinds.includes(o.kind ?? '');
/** Whether all pods of a program run. Of one that may have no pod, none lacks; a DaemonSet without a node runs nowhere, or was not counted yet. */
export const allRun = (kind: string, { ready, wanted }: { ready: number; wanted: number }): boolean =>
  ready >= wanted && (wanted > 0 || kind !== 'DaemonSet');

interface Brought {
  objects: BroughtObject[];
  /** The line that each object begins at. */
  lines: number[];
  /** Images that its pods run, each once, in order. */
  images: string[];
  faults: { line: number; message: string }[];
}

const known = new Map<string, Brought>();
const most = { characters: 1_000_000, objects: 500, aliases: 100 } as const;

/**
 * Manifests that somebody brings: what they hold, and the images that their pods run. Everything that is wrong is told with its line;
 * nothing is thrown. Each text is read once.
 */
export function readManifests(text: string): Brought {
  const before = known.get(text);
  if (before) return before;
  if (known.size > 50) known.clear();
  const out: Brought = { objects: [], lines: [], images: [], faults: [] };
  known.set(text, out);
  if (text.length > most.characters) {
    out.faults.push({ line: 1, message: `${text.length} characters; at most ${most.characters} are read` });
    return out;
  }
  const all = parseAllDocuments(text, { uniqueKeys: true, prettyErrors: false });
  if (!Array.isArray(all)) return out;
  const lineAt = (offset: number) => text.slice(0, offset).split('\n').length;
  for (const tree of all) {
    const line = lineAt(tree.range?.[0] ?? 0);
    for (const e of tree.errors) out.faults.push({ line: lineAt(e.pos[0]), message: plainSyntax(e) });
    if (tree.errors.length || tree.contents === null) continue;
    let value: unknown;
    try {
      value = tree.toJS({ maxAliasCount: most.aliases });
    } catch (e) {
      out.faults.push({ line, message: plainAlias(e) ?? `more than ${most.aliases} alias expansions; write the values out` });
      continue;
    }
    take(value, lineAt((tree.contents as { range?: [number, number, number] }).range?.[0] ?? 0), out);
  }
  if (out.objects.length > most.objects)
    out.faults.push({ line: 1, message: `${out.objects.length} objects; at most ${most.objects} are taken` });
  return out;
}

function take(value: unknown, line: number, out: Brought): void {
  const o = value as Partial<BroughtObject> & { items?: unknown[] };
  const say = (message: string) => out.faults.push({ line, message });
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return void say('expected an object with apiVersion, kind and metadata');
  if (typeof o.apiVersion !== 'string' || !/^([a-z0-9.-]+\/)?v[a-z0-9]+$/.test(o.apiVersion))
    return void say('apiVersion is missing, or is none');
  if (typeof o.kind !== 'string' || !/^[A-Z][A-Za-z]+$/.test(o.kind)) return void say('kind is missing, or is none');
  if (o.kind === 'List' && Array.isArray(o.items)) {
    for (const item of o.items) take(item, line, out);
    return;
  }
  const name = o.metadata?.name;
  if (typeof name !== 'string' || !/^[a-z0-9]([a-z0-9.:-]*[a-z0-9])?$/.test(name))
    return void say(`metadata.name of ${o.kind} is missing, or is none`);
  out.objects.push(o as BroughtObject);
  out.lines.push(line);
  for (const image of imagesIn(o)) if (!out.images.includes(image)) out.images.push(image);
}

/** Images of pods, wherever a pod stands in an object. */
function* imagesIn(value: unknown): Generator<string> {
  if (typeof value !== 'object' || value === null) return;
  for (const [key, v] of Object.entries(value)) {
    if (/^(c|initC|ephemeralC)ontainers$/.test(key) && Array.isArray(v))
      for (const c of v) if (typeof c?.image === 'string') yield c.image;
    yield* imagesIn(v);
  }
}

/** The components that manifests are made of: one for each image, on every node where it is an agent, called as its repository is. */
export function componentsIn(text: string): { name: string; image: string; on: 'node' | 'cluster' }[] {
  const { objects, images } = readManifests(text);
  const agents = new Set(objects.filter((o) => o.kind === 'DaemonSet').flatMap((o) => [...imagesIn(o)]));
  const names = new Map<string, number>();
  return images.map((image) => {
    const wish = /([a-z0-9]+(?:[._-]+[a-z0-9]+)*)(?::[^/]*)?(?:@.*)?$/.exec(image)?.[1]?.replace(/[._]+/g, '-') ?? 'program';
    const n = (names.get(wish) ?? 0) + 1;
    names.set(wish, n);
    return { name: n > 1 ? `${wish}-${n}` : wish, image, on: agents.has(image) ? 'node' : 'cluster' };
  });
}

/** Manifests as text, each with its faults told by line. */
export const Manifests = z
  .string()
  .max(most.characters)
  .superRefine((text, ctx) => {
    const { faults, objects } = readManifests(text);
    for (const f of faults.slice(0, 20)) ctx.addIssue({ code: 'custom', message: `line ${f.line}: ${f.message}` });
    if (!faults.length && !objects.length) ctx.addIssue({ code: 'custom', message: 'it holds no object' });
  });
