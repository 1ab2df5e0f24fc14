import type { MoveRule } from '../move.ts';

/** Where images come from, and where nodes of this site pull them. */
export const registry: MoveRule = ({ site, registries, estate }) => {
  const declare = (more: string) => `/declare?kind=Registry&${more}site=${site.name}&back=/estate`;
  return [
    ...(estate.registries.some((r) => r.role === 'source')
      ? []
      : [
          {
            stage: 'registry' as const,
            text: 'no source of images is declared',
            label: 'Declare it',
            go: declare('role=source&'),
          },
        ]),
    ...(registries.some((r) => r.role !== 'source')
      ? []
      : [
          {
            stage: 'registry' as const,
            text: 'no mirror is declared: nodes pull their images from it',
            label: 'Declare it',
            go: declare(''),
          },
        ]),
  ];
};
