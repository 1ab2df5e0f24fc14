import { addresses } from './addresses.ts';
import { announcing } from './announcing.ts';
import { answers } from './answers.ts';
import { capacity } from './capacity.ts';
import { certificates } from './certificates.ts';
import { images } from './images.ts';
import { mtu } from './mtu.ts';
import { nodes } from './nodes.ts';
import { placement } from './placement.ts';
import { proxy } from './proxy.ts';
import { quorum } from './quorum.ts';
import { ranges } from './ranges.ts';
import { references } from './references.ts';
import { storage } from './storage.ts';
import { timers } from './timers.ts';
import { versions } from './versions.ts';

/** Every aspect of a plan, in the order of the sheet. What needs what is found out by computing; the order here is for reading alone. */
export const aspects = [
  references,
  images,
  versions,
  placement,
  nodes,
  quorum,
  capacity,
  timers,
  mtu,
  proxy,
  ranges,
  addresses,
  announcing,
  storage,
  answers,
  certificates,
] as const;
