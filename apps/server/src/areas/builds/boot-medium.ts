import { createHash } from 'node:crypto';
import type { Plan } from '@praesidor/core/charter';
import { bootFiles, kernelLine, layOutMedia } from '@praesidor/core/files';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { loadEstate } from '../../estate/load.ts';
import { startedOn } from '../clusters/kit.ts';
import type { BootCopies } from './boot-copies.ts';
import { bootProgram, fromCopies, NoProgram } from './boot-program.ts';
import { kitOf } from './kit-of-build.ts';
import { bytesOf, type Piece, sizeOf, zerosOf } from './pieces.ts';

/** What cloud-init finds on a medium. */
const onMedium = ['user-data', 'meta-data', 'vendor-data', 'network-config'];

export interface Medium {
  size: number;
  /** Another one whenever the bytes are. */
  tag: string;
  pieces: Piece[];
}
/** Media that are kept laid out: a controller reads one in thousands of parts. Each takes less than a megabyte. */
const mostKept = 200;

/**
 * The medium that a controller plays to a host: program and first-boot data on one CD. The same boot address has the same medium as long as
 * this server runs, since nobody changes a medium that lies in a drive.
 */
export class Media {
  private readonly kept = new Map<string, Promise<Medium>>();
  constructor(
    private readonly ctx: Context,
    private readonly copies: BootCopies,
  ) {}

  /** @throws NoProgram @throws ProtocolError */
  of(token: string, build: BuildRow, host: string): Promise<Medium> {
    const held = this.kept.get(token);
    if (held) return held;
    const made = this.layOut(build, host);
    this.kept.set(token, made);
    made.catch(() => this.kept.delete(token));
    for (const oldest of [...this.kept.keys()].slice(0, Math.max(0, this.kept.size - mostKept))) this.kept.delete(oldest);
    return made;
  }

  private async layOut(build: BuildRow, host: string): Promise<Medium> {
    const { estate } = await loadEstate(this.ctx.db);
    const kit = await kitOf(this.ctx, build, estate);
    const plan = build.plan as Plan;
    const program = await bootProgram(this.ctx, plan, estate, startedOn(plan, host), kernelLine(kit, host, 'media'));
    const files = bootFiles(kit, host);
    let laid: ReturnType<typeof layOutMedia>;
    try {
      laid = layOutMedia(
        onMedium.map((name) => ({ name, content: files[name] ?? '' })),
        program.size,
      );
    } catch (e) {
      throw new NoProgram(`No boot medium for ${host}: ${(e as Error).message}.`, 'Start it over HTTP, or use a smaller system.');
    }
    const pieces = [bytesOf(laid.head), ...program.pieces(fromCopies(this.copies)), zerosOf(laid.padding)];
    if (sizeOf(pieces) !== laid.size) throw new Error(`the medium of ${host} has ${sizeOf(pieces)} bytes of ${laid.size}`);
    return { size: laid.size, tag: createHash('sha256').update(laid.head).update(program.tag).digest('hex'), pieces };
  }
}
