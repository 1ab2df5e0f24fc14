import type { Release } from './documents.ts';

type Component = Release['components'][number];

/** The operating systems of a release: what machines boot, the one for pools that name none first. */
export const systemsOf = (release: Pick<Release, 'components'> | undefined): Component[] =>
  release?.components.filter((c) => c.on === 'boot') ?? [];

/** The one that machines of a pool start from; undefined: the release has none of that name, or none at all. */
export const systemOf = (
  release: Pick<Release, 'components'> | undefined,
  pool: { system?: string | undefined },
): Component | undefined => systemsOf(release).find((c) => pool.system === undefined || c.name === pool.system);
