import type { MoveRule } from '../move.ts';

/** Releases are taken in from a source that can be read. */
export const releases: MoveRule = ({ site, estate }) => {
  const source = estate.registries.find((r) => r.role === 'source');
  if (estate.releases.length || !source) return [];
  return [
    {
      stage: 'releases',
      text: `no release is declared; ${source.name} says which there are`,
      label: 'Take in releases',
      go: `/images?published=${source.name}&site=${site.name}`,
    },
  ];
};
