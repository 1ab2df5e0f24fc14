import { at, each, openDoc } from '../check.ts';

export const NET022 = each('Site', {
  code: 'NET-022',
  severity: 'mind',
  about: 'the link of a thin site has no rate',
  find: (d) => {
    return d.reach === 'thin' && !d.link
      ? [
          at(d, ['link'], {
            title: `How fast the link of ${d.title} is, is not known`,
            text: 'It is declared as thin. Without a rate no time can be told for what is moved over it.',
            remedy: openDoc(d),
          }),
        ]
      : [];
  },
});
