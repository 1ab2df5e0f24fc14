import { removedIn } from '../../images/versions.ts';
import { addonsOf } from '../../model/bills.ts';
import { at, each } from '../check.ts';

export const IMG021 = each('Charter', {
  code: 'IMG-021',
  severity: 'stop',
  about: 'an add-on brings objects that the release serves no more',
  find: (d, view) => {
    const release = view.get('Release', d.release);
    return addonsOf(d).flatMap((name) => {
      const addon = view.get('Addon', name);
      const gone = release && addon ? removedIn(release, addon) : [];
      const [first] = gone;
      return first && release
        ? [
            at(d, d.addons.includes(name) ? ['addons', d.addons.indexOf(name)] : ['podNetwork'], {
              title: `${release.version} refuses what ${name} brings`,
              text: `Line ${gone.map((g) => g.line).join(', ')} of its manifests: ${gone
                .slice(0, 3)
                .map((g) => `${g.kind} ${g.name} is of ${g.apiVersion}${g.instead ? `, now ${g.instead}` : ''}`)
                .join('; ')}. The API has not served that since.`,
            }),
          ]
        : [];
    });
  },
});
