import type { BuildRow } from '../../db/tables.ts';

/** Who did something, where a change did it. */
export const nameOf = (build: Pick<BuildRow, 'kind' | 'number' | 'charter'>): string =>
  `${build.kind === 'build' ? 'build' : 'change'} ${build.number} of ${build.charter}`;
