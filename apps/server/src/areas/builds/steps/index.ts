import type { StepKind } from '@praesidor/core/schedule';
import type { StepRunner } from '../step.ts';
import { backup } from './backup.ts';
import { cast } from './cast.ts';
import { api, inbound, podNetwork, quorum } from './cluster.ts';
import { drain } from './drain.ts';
import { files } from './files.ts';
import { forget } from './forget.ts';
import { free } from './free.ts';
import { gone } from './gone.ts';
import { images } from './images.ts';
import { joinControlPlane, joinWorker } from './join.ts';
import { leave } from './leave.ts';
import { member } from './member.ts';
import { names } from './names.ts';
import { off } from './off.ts';
import { power } from './power.ts';
import { preflight } from './preflight.ts';
import { proof } from './proof.ts';
import { release } from './release.ts';
import { system } from './system.ts';
import { rest, wipe } from './wipe.ts';

/** Who carries out which kind of step. A new kind is a file and a line. */
const all: StepRunner[] = [
  preflight,
  names,
  cast,
  power,
  system,
  images,
  joinControlPlane,
  api,
  quorum,
  podNetwork,
  joinWorker,
  inbound,
  backup,
  drain,
  member,
  files,
  leave,
  off,
  release,
  gone,
  free,
  forget,
  proof,
  rest,
  wipe,
];
export const runners = new Map<StepKind, StepRunner>(all.map((r) => [r.kind, r]));
