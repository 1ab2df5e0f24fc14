import type { Edit } from '../model/edit.ts';

export const partKinds = [
  'power',
  'switch',
  'gateway',
  'link',
  'device',
  'names',
  'time',
  'hypervisor',
  'host',
  'registry',
  'control-plane',
  'nodes',
  'storage',
  'services',
  'work',
] as const;
export type PartKind = (typeof partKinds)[number];

/** A change after which a need is another one. */
export interface Mend {
  label: string;
  edits: Edit[];
  /** What is needed then; asking brings parts that nobody waits for today. */
  any: () => string[];
}
/** What a part waits for: so many of these. */
export interface Need {
  any: string[];
  of: number;
  /** What for, as the end of "because". */
  why: string;
  /** It starts without it all the same, on a condition: that one, in words. */
  unless?: string;
  /** Changes that could be tried, told only when they are asked for. */
  mends?: () => Mend[];
}
/** One thing at a site that starts after a loss of all power, and what it needs for that. */
export interface Part {
  id: string;
  kind: PartKind;
  title: string;
  /** The cluster that it belongs to. */
  charter?: string;
  /** The page about it. */
  path?: string;
  /** Seconds from when all that it needs is there until it does its work, and seconds until it has stopped. */
  takes: number;
  stops: number;
  /** Whether `takes` is declared; otherwise it is what such a thing usually takes. */
  declared: boolean;
  needs: Need[];
}

/**
 * Seconds that things usually take, where nothing is declared: from power until they do their work, and until they have stopped.
 * They are assumptions, and shown as such.
 */
export const usual: Record<PartKind | 'guest', { takes: number; stops: number }> = {
  power: { takes: 0, stops: 0 },
  switch: { takes: 180, stops: 0 },
  gateway: { takes: 120, stops: 30 },
  link: { takes: 60, stops: 0 },
  device: { takes: 120, stops: 60 },
  names: { takes: 0, stops: 0 },
  time: { takes: 0, stops: 0 },
  hypervisor: { takes: 300, stops: 120 },
  host: { takes: 300, stops: 120 },
  guest: { takes: 60, stops: 60 },
  registry: { takes: 30, stops: 10 },
  'control-plane': { takes: 60, stops: 10 },
  nodes: { takes: 30, stops: 0 },
  storage: { takes: 10, stops: 10 },
  services: { takes: 5, stops: 0 },
  work: { takes: 10, stops: 30 },
};
