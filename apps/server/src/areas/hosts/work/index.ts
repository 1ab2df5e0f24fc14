import { casting } from './cast.ts';
import { firmware } from './firmware.ts';
import type { WorkKind } from './kind.ts';
import { power } from './power.ts';
import { reading } from './read.ts';
import { removing } from './remove.ts';
import { wiping } from './wipe.ts';

/** Every kind of work on hosts. A new one is a file and a line. */
const all: readonly WorkKind[] = [reading, firmware, wiping, casting, removing, power];
export const workKinds: ReadonlyMap<string, WorkKind> = new Map(all.map((k) => [k.kind, k]));
