import { versionOf } from '../../model/template.ts';
import { drawnFor } from '../../template/draw.ts';
import { at, each, setTo } from '../check.ts';

export const TPL004 = each('Charter', {
  code: 'TPL-004',
  severity: 'mind',
  about: 'the answers of a charter no longer fit the questions of its template',
  find: (d, view) => {
    const t = d.template && view.get('Template', d.template.name);
    if (!t || !d.template) return [];
    if (!versionOf(t, d.template.version))
      return [
        at(d, ['template', 'version'], {
          title: `Version ${d.template.version} of ${t.name} is not known`,
          text: `It has ${t.version}${t.earlier?.length ? `, and keeps ${t.earlier.map((v) => v.version).join(', ')}` : ''}. Where ${d.name} departs from it cannot be said.`,
          remedy: setTo(d, ['template', 'version'], t.version, `Hold it against version ${t.version}`),
        }),
      ];
    const [fault] = drawnFor(d, view)?.faults ?? [];
    if (!fault) return [];
    const given = d.template.answers ?? [];
    const i = given.findIndex((a) => a.question === fault.question);
    return [
      at(d, ['template', 'answers', ...(i < 0 ? [] : [i, 'answer'])], {
        title: `An answer of ${d.name} to ${t.name} does not fit`,
        text: `${fault.message.replace(/[.?!]$/, '')}. Where ${d.name} departs from the template cannot be said.`,
        remedy: { label: 'Answer it', act: { kind: 'open', path: `/clusters/templates/${t.name}?tab=questions` } },
      }),
    ];
  },
});
