import type { Charter } from '../model/documents.ts';

/** The ranges of one version of IP in a charter, with where each stands in it. */
export interface Family {
  pods: string;
  perNode: number;
  services: string;
  at: Record<'pods' | 'perNode' | 'services', string[]>;
}

/** The versions of IP that a charter has: the first, and a second one where it has both. */
export const familiesOf = (c: Charter): Family[] => [
  {
    pods: c.pods.range,
    perNode: c.pods.perNode,
    services: c.services.range,
    at: { pods: ['pods', 'range'], perNode: ['pods', 'perNode'], services: ['services', 'range'] },
  },
  ...(c.second
    ? [
        {
          pods: c.second.pods,
          perNode: c.second.perNode,
          services: c.second.services,
          at: { pods: ['second', 'pods'], perNode: ['second', 'perNode'], services: ['second', 'services'] },
        },
      ]
    : []),
];
/** Every range of pods and services, with the field that it stands in and what it is called. */
export const rangesOf = (c: Charter): { range: string; at: string[]; of: 'pods' | 'services'; title: string }[] =>
  familiesOf(c).flatMap((f) =>
    (['pods', 'services'] as const).map((of) => ({
      range: f[of],
      at: f.at[of],
      of,
      title: of === 'pods' ? 'Pod range' : 'Service range',
    })),
  );
