import { createHash } from 'node:crypto';
import type { Plan } from '@praesidor/core/charter';
import { type BootProgram, lacksOf, layOut, needsOf, SystemContents } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { readOn } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import { type BootImage, bootImage, type Started } from '../clusters/kit.ts';
import { authorityOf, lacksAuthority } from './authority.ts';
import type { BootCopies } from './boot-copies.ts';
import { bytesOf, type Piece, zerosOf } from './pieces.ts';

/** Why a release gives firmware nothing to boot, and what to do about it. */
export class NoProgram extends Error {
  constructor(
    message: string,
    readonly remedy: string,
  ) {
    super(message);
  }
}
const stubLimit = 4_000_000;

type Layer = BootImage['layers'][number];

/** An operating system as it is called where something is wrong with it. */
const nameOf = (plan: Plan, started: Started | undefined) =>
  started ? `${started.system} of release ${plan.charter.release}` : `release ${plan.charter.release}`;

async function imageOf(ctx: Context, plan: Plan, estate: Estate, started: Started | undefined, signal?: AbortSignal) {
  const image = started && (await bootImage(ctx, plan, estate, started, signal));
  if (image) return image;
  throw new NoProgram(
    started
      ? `The bill has no image of ${nameOf(plan, started)} for ${started.arch}.`
      : `Release ${plan.charter.release} has no image that machines boot from.`,
    'Read its images under Images; a component with `on: boot` names that image.',
  );
}
function layerOf(image: BootImage, title: string, name: string): Layer {
  const found = image.layers.find((l) => l.title === title);
  if (!found)
    throw new NoProgram(
      `The boot image ${name} has no layer titled ${title}.`,
      title === 'stub'
        ? 'Add an EFI stub for unified kernel images (UAPI.5) to it as a layer of that title: firmware loads no kernel without one.'
        : 'Add it to that image as a layer of that title.',
    );
  return found;
}

/** A layer that machines load by its title, such as `kernel`. @throws NoProgram @throws ProtocolError */
export async function bootLayer(
  ctx: Context,
  plan: Plan,
  estate: Estate,
  started: Started | undefined,
  title: string,
): Promise<Piece> {
  const image = await imageOf(ctx, plan, estate, started);
  return asItComes(image, layerOf(image, title, nameOf(plan, started)));
}

/** What firmware loads. `tag` is another one whenever the bytes are. */
export interface ServedProgram {
  size: number;
  tag: string;
  /** In their order; how a layer is read is the caller's to say. */
  pieces: (layer: (image: BootImage, layer: Layer) => Piece) => Piece[];
}

/**
 * The program that firmware loads for a host: the stub of its operating system with its kernel, the command line and its initial file system.
 * @throws NoProgram @throws ProtocolError
 */
export async function bootProgram(
  ctx: Context,
  plan: Plan,
  estate: Estate,
  started: Started | undefined,
  line: string,
  signal?: AbortSignal,
): Promise<ServedProgram> {
  const image = await imageOf(ctx, plan, estate, started, signal);
  const name = nameOf(plan, started);
  const layer = (title: string) => layerOf(image, title, name);
  const [stub, kernel, initrd] = [layer('stub'), layer('kernel'), layer('initrd')];
  if (stub.size > stubLimit)
    throw new NoProgram(`The stub of ${name} has ${stub.size} bytes.`, 'It is something else: a stub is far smaller than 4 MB.');
  const cmdline = Buffer.from(line);
  const layers: Record<string, Layer> = { '.linux': kernel, '.initrd': initrd };
  let laid: BootProgram;
  try {
    laid = layOut(await whole(image, stub), [
      { name: '.cmdline', size: cmdline.length },
      { name: '.linux', size: kernel.size },
      { name: '.initrd', size: initrd.size },
    ]);
  } catch (e) {
    if (e instanceof ProtocolError) throw e;
    throw new NoProgram(`${name}: ${(e as Error).message}.`, 'Put the stub of another system into its boot image.');
  }
  const pieces: ServedProgram['pieces'] = (read) => [
    bytesOf(laid.head),
    ...laid.parts.flatMap((part) => {
      const from = layers[part.name];
      return [from ? read(image, from) : bytesOf(cmdline), zerosOf(part.padding)];
    }),
  ];
  const tag = createHash('sha256').update([stub.digest, kernel.digest, initrd.digest, line].join('\n')).digest('hex');
  return { size: laid.size, tag, pieces };
}

/** A layer as the mirror sends it, from its begin to its end, which is left out when the digest is another: for whoever reads it whole. */
export const asItComes = (image: BootImage, layer: Layer): Piece => ({ size: layer.size, read: () => verified(image, layer) });
/** A layer of which any part can be read, from a copy that has the digest. */
export const fromCopies =
  (copies: BootCopies) =>
  (image: BootImage, layer: Layer): Piece => ({
    size: layer.size,
    read: (from, to) => copies.read(layer, () => verified(image, layer), from, to),
  });

/** The most that a list of contents has. */
const contentsLimit = 4_000_000;

/**
 * What an operating system of a release lacks of what the kit and the release ask, by its own list of contents; undefined: it has none.
 * @throws NoProgram when the list cannot be read @throws ProtocolError
 */
export async function systemLacks(
  ctx: Context,
  plan: Plan,
  estate: Estate,
  started: Started,
  signal?: AbortSignal,
): Promise<{ packages: number; lacks: string[] } | undefined> {
  const image = await bootImage(ctx, plan, estate, started, signal);
  const layer = image?.layers.find((l) => l.title === 'contents');
  if (!image || !layer) return undefined;
  const unreadable = (why: string) =>
    new NoProgram(
      `The list of contents of ${nameOf(plan, started)} cannot be read: ${why}.`,
      'Make the system anew (npm run system), put it into the source registry and ship it.',
    );
  if (layer.size > contentsLimit) throw unreadable(`it has ${layer.size} bytes`);
  let told: unknown;
  try {
    told = JSON.parse((await whole(image, layer)).toString('utf8'));
  } catch (e) {
    if (e instanceof ProtocolError) throw e;
    throw unreadable('it is no JSON');
  }
  const contents = SystemContents.safeParse(told);
  if (!contents.success) throw unreadable(`${contents.error.issues[0]?.path.join('.')}: ${contents.error.issues[0]?.message}`);
  const untrusting = lacksAuthority(contents.data, authorityOf(ctx.config));
  return {
    packages: contents.data.packages.length,
    lacks: [...lacksOf(contents.data, needsOf(plan.release, plan.charter)), ...(untrusting ? [untrusting] : [])],
  };
}

async function* verified(image: BootImage, { digest, size }: Layer): AsyncGenerator<Uint8Array> {
  const hash = createHash('sha256');
  let last: Uint8Array | undefined;
  for await (const piece of readOn(image.registry, image.repository, { digest, from: 0, to: size, size })) {
    if (last) yield last;
    hash.update(piece);
    last = piece;
  }
  if (`sha256:${hash.digest('hex')}` !== digest)
    throw new ProtocolError('digest', image.registry.endpoint, `${digest.slice(0, 19)} was read with other bytes`);
  if (last) yield last;
}

async function whole(image: BootImage, layer: Layer): Promise<Buffer> {
  const pieces: Uint8Array[] = [];
  for await (const piece of verified(image, layer)) pieces.push(piece);
  return Buffer.concat(pieces);
}
