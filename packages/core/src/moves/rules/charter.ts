import type { MoveRule } from '../move.ts';

/** With hosts, a network, a mirror and a release, a cluster can be declared. */
export const charter: MoveRule = ({ site, charters, networks, registries, hosts, estate }) => {
  const ready =
    networks.some((n) => n.purpose === 'machine') &&
    registries.some((r) => r.role !== 'source') &&
    hosts.some((h) => h.state === 'fit' || h.state === 'listed') &&
    estate.releases.length > 0;
  if (charters.length || !ready) return [];
  return [
    {
      stage: 'charter',
      text: 'no cluster is declared',
      label: 'Declare a cluster',
      go: `/declare?kind=Charter&site=${site.name}`,
    },
  ];
};
