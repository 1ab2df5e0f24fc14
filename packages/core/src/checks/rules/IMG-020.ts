import { componentsIn, readManifests } from '../../model/manifests.ts';
import { counted } from '../../words/amounts.ts';
import { at, each, setTo } from '../check.ts';

export const IMG020 = each('Addon', {
  code: 'IMG-020',
  severity: 'stop',
  about: 'manifests of an add-on run images that are not among its components',
  find: (a, view) => {
    if (!a.manifests) return [];
    const known = new Set(a.components.map((c) => c.image));
    const lacks = readManifests(a.manifests).images.filter((i) => !known.has(i));
    return lacks.length
      ? [
          at(a, ['components'], {
            title: `${counted(lacks.length, 'image')} of ${a.name} would not be shipped`,
            text: `Its manifests run ${lacks.slice(0, 3).join(', ')}${lacks.length > 3 ? ' and others' : ''}, and its components do not name ${lacks.length === 1 ? 'it' : 'them'}: bills and shipments leave ${lacks.length === 1 ? 'it' : 'them'} out.`,
            site: view.get('Registry', a.source)?.site ?? '',
            charters: view.by('Charter', 'bill', a.name).map((c) => c.name),
            remedy: setTo(
              a,
              ['components'],
              [...a.components, ...componentsIn(a.manifests).filter((c) => lacks.includes(c.image))],
              'Add them to its components',
            ),
          }),
        ]
      : [];
  },
});
