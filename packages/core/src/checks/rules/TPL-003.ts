import { at, each } from '../check.ts';

export const TPL003 = each('Charter', {
  code: 'TPL-003',
  severity: 'note',
  about: 'a charter has an older version of its template',
  find: (d, view) => {
    const t = d.template && view.get('Template', d.template.name);
    return t && d.template && d.template.version < t.version
      ? [
          at(d, ['template', 'version'], {
            title: `${d.name} has version ${d.template.version} of ${t.name}, ${t.version} stands`,
            text: t.note ? `Version ${t.version}: ${t.note}.` : 'What the versions since then changed has not reached it.',
            remedy: {
              label: `Show what version ${t.version} changes`,
              act: { kind: 'open', path: `/clusters/templates/${t.name}` },
            },
          }),
        ]
      : [];
  },
});
