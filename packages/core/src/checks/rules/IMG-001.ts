import { bytesText, counted } from '../../words/amounts.ts';
import { each, planFor } from '../check.ts';

export const IMG001 = each('Charter', {
  code: 'IMG-001',
  severity: 'stop',
  about: 'layers that a charter needs are not at its mirror',
  find: (c, view) => {
    const { images, mirror } = planFor(view, c);
    if (!images.known || !images.missingImages.length || !mirror) return [];
    const site = view.get('Site', c.site);
    const n = images.missingBlobs;
    const names = images.missingImages.slice(0, 2).map((i) => i.slice(i.indexOf('/') + 1));
    const more = images.missingImages.length - names.length;
    return [
      {
        subject: { kind: 'Charter' as const, name: c.name },
        path: ['mirror'],
        site: c.site,
        title:
          n === 0
            ? `${counted(images.missingImages.length, 'image name is', 'image names are')} not at ${site?.title ?? mirror.name}`
            : `${counted(n, 'layer is', 'layers are')} not at ${site?.title ?? mirror.name}`,
        text:
          n === 0
            ? `${names.join(', ')}${more > 0 ? ` and ${more} more` : ''}: ${mirror.endpoint} holds every layer, under other names. Nodes would ask for a name that it does not answer to.`
            : `${names.join(', ')}${more > 0 ? ` and ${counted(more, 'more image', 'more images')} need` : names.length === 1 ? ' needs' : ' need'} ${bytesText(images.missingDeclaredBytes)} that ${mirror.endpoint} does not hold. Nodes would wait on the pull, then fail.`,
        remedy: {
          label: 'Plan the shipment',
          act: { kind: 'plan-shipment' as const, target: mirror.name, bills: images.names },
        },
      },
    ];
  },
});
