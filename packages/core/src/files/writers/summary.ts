import { bytesText } from '../../words/amounts.ts';
import { type ClusterWriter, file } from '../kit.ts';
import { markdown } from '../quote.ts';

/** What will stand, on one page, for people. */
export const summary: ClusterWriter = {
  name: 'summary',
  write: ({ plan }) => {
    const c = plan.charter;
    const table = (head: string[], rows: string[][]) =>
      [
        `| ${head.join(' | ')} |`,
        `|${head.map(() => ' --- |').join('')}`,
        ...rows.map((r) => `| ${r.map(markdown).join(' | ')} |`),
      ].join('\n');
    return [
      file(
        'cluster/summary.md',
        [
          `# ${markdown(c.name)}`,
          '',
          [c.purpose, c.owner && `owner ${c.owner}`, plan.site?.title ?? ''].filter(Boolean).map(markdown).join(' · '),
          '',
          table(
            ['host', 'role', 'zone', 'address', 'MAC'],
            plan.nodes.map((n) => [n.host, n.role, n.zone, n.address, n.mac]),
          ),
          '',
          table(
            ['name', 'address'],
            [
              [plan.api.name, plan.api.address],
              [plan.inbound.name, plan.inbound.address],
            ],
          ),
          '',
          ...plan.follows.map((f) => `- ${markdown(`${f.label}: ${f.text}`)}`),
          '',
          `Images: ${plan.images.images}, ${plan.images.blobs} layers, ${bytesText(plan.images.declaredBytes)}, pulled through ${plan.mirror?.endpoint ?? 'no mirror'}.`,
        ].join('\n'),
        ['charter'],
      ),
    ];
  },
};
