import type { MoveRule } from '../move.ts';

/** Controllers are found on a management network, nodes have their addresses in a machine network. */
export const networks: MoveRule = ({ site, networks: here, hypervisors }) => {
  const declare = (purpose: string) => `/declare?kind=Network&purpose=${purpose}&site=${site.name}&back=/estate`;
  const has = (purpose: string) => here.some((n) => n.purpose === purpose);
  return [
    ...(has('management') || hypervisors.length
      ? []
      : [
          {
            stage: 'networks' as const,
            text: 'no management network is declared: hosts are found there',
            label: 'Declare it',
            go: declare('management'),
          },
        ]),
    ...(has('machine')
      ? []
      : [
          {
            stage: 'networks' as const,
            text: 'no machine network is declared: nodes have their addresses there',
            label: 'Declare it',
            go: declare('machine'),
          },
        ]),
  ];
};
