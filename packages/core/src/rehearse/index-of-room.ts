import { type Used, usedBy } from './place.ts';
import type { Room } from './room.ts';

/** What is looked for again and again: the pods and the copies of each host. */
export interface Index {
  pods: number[][];
  copies: { volume: number; copy: number }[][];
  users: number[][];
  /** Where each pod is at the beginning, and whether it is ready. */
  at: Int32Array;
  ready: Uint8Array;
  used: Used;
  filled: Float64Array;
  /** What one simulation writes in, and the next one after it: thousands are gone through one by one. */
  scratch: { down: Float64Array; at: Int32Array; ready: Uint8Array; turn: Uint32Array; used: Used; filled: Float64Array };
}
const indexes = new WeakMap<Room, Index>();
export function indexOf(room: Room): Index {
  const known = indexes.get(room);
  if (known) return known;
  const index: Index = {
    pods: room.hosts.map(() => []),
    copies: room.hosts.map(() => []),
    users: room.volumes.map(() => []),
    at: Int32Array.from(room.pods, (p) => p.host),
    ready: Uint8Array.from(room.pods, (p) => (p.host >= 0 ? 1 : 0)),
    used: usedBy(room),
    filled: new Float64Array(room.hosts.length),
    scratch: {
      down: new Float64Array(room.hosts.length),
      at: new Int32Array(room.pods.length),
      ready: new Uint8Array(room.pods.length),
      turn: new Uint32Array(room.pods.length),
      used: { cores: new Float64Array(room.hosts.length), memoryGiB: new Float64Array(room.hosts.length) },
      filled: new Float64Array(room.hosts.length),
    },
  };
  for (const [p, pod] of room.pods.entries()) {
    index.pods[pod.host]?.push(p);
    for (const v of pod.volumes) index.users[v]?.push(p);
  }
  for (const [v, volume] of room.volumes.entries())
    for (const [copy, host] of volume.copies.entries())
      if (host >= 0) {
        index.copies[host]?.push({ volume: v, copy });
        index.filled[host] = (index.filled[host] as number) + volume.sizeGB;
      }
  indexes.set(room, index);
  return index;
}
