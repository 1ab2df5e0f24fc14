import { at, each, setTo } from '../check.ts';

export const TPL001 = each('Charter', {
  code: 'TPL-001',
  severity: 'mind',
  about: 'the template that a charter came from is not there',
  find: (d, view) =>
    d.template && !view.get('Template', d.template.name)
      ? [
          at(d, ['template', 'name'], {
            title: `${d.name} came from ${d.template.name}, which is not there`,
            text: 'It stays as it is. What later versions of the template change does not reach it.',
            remedy: setTo(d, ['template'], undefined, 'Forget the template'),
          }),
        ]
      : [],
});
