import { heldBy, missing, mirrorRules, sizeOf } from '../../images/index.ts';
import { holdsCount } from '../../model/observed.ts';
import type { Plan } from '../plan.ts';
import { bytesText, counted } from '../../words/amounts.ts';
import { aspect, because } from './aspect.ts';
import { addonsOf, billsOf } from '../../model/bills.ts';
import { references } from './references.ts';

export const images = aspect<Pick<Plan, 'images' | 'mirrorRules'>>({
  name: 'images',
  compute: ({ charter, view, need }) => {
    const { mirror } = need(references);
    const names = billsOf(charter);
    const bills = names.map((n) => view.get('bill', n)).filter((b) => b !== undefined);
    const total = sizeOf(bills);
    const seen = mirror && view.get('seen registry', mirror.name);
    const lack = missing(bills, heldBy(seen, mirror));
    const unknown = names.filter((n) => !view.get('bill', n));
    return {
      images: {
        names,
        images: bills.reduce((n, b) => n + b.images.length, 0),
        blobs: total.blobs,
        declaredBytes: total.declaredBytes,
        bytes: total.bytes,
        missingBlobs: lack.blobs,
        missingDeclaredBytes: lack.declaredBytes,
        missingImages: lack.images,
        known: !unknown.length && seen !== undefined && !(seen.error && holdsCount(seen) === 0),
      },
      mirrorRules: mirror ? mirrorRules(bills, mirror) : [],
      problems: unknown.length
        ? [{ about: 'bill', path: ['release'], text: `the bill of ${unknown.join(', ')} has not been computed` }]
        : [],
    };
  },
  lines: ({ charter, images: i, mirrorRules: rules, mirror }) => [
    {
      id: 'bill',
      section: 1,
      label: 'Bill',
      text: i.images
        ? `${counted(i.images, 'image')}, ${counted(i.blobs, 'layer')}, ${bytesText(i.declaredBytes)}`
        : 'not computed yet',
      why: [
        because('bill walked', { release: charter.release }, ['release']),
        ...(addonsOf(charter).length ? [because('bill of add-ons', { addons: addonsOf(charter).join(', ') }, ['addons'])] : []),
        because('layers once'),
      ],
    },
    {
      id: 'held',
      section: 1,
      label: 'At mirror',
      text: i.known ? `${i.blobs - i.missingBlobs} of ${i.blobs} layers` : 'not measured yet',
      why: [because('digests read', { mirror: charter.mirror }, ['mirror']), because('against the bill')],
    },
    {
      id: 'redirects',
      section: 1,
      label: 'Redirects',
      text: rules.length ? `${rules.map((r) => r.source).join(', ')} → ${mirror?.endpoint}` : 'none',
      why: [because('rule for each source'), because('names stay')],
      mono: true,
    },
  ],
});
