import { at, each, planFor, setTo } from '../check.ts';

export const CHT036 = each('Charter', {
  code: 'CHT-036',
  severity: 'stop',
  about: 'a question of an add-on is not answered, or not as it asks',
  find: (d, view) =>
    planFor(view, d)
      .problems.filter((p) => p.about === 'answers')
      .map((p) => {
        const at0 = p.path[1];
        const given = d.answers ?? [];
        const rest = given.filter((_, i) => i !== at0);
        const [addon = '', question = ''] = (p.named ?? '').split(' ');
        const fallback = view.get('Addon', addon)?.questions?.find((q) => q.key === question)?.default !== undefined;
        return at(d, p.path, {
          title: at0 === undefined ? `${addon} waits for an answer: ${question}` : `${question} is not answered as ${addon} asks`,
          text: `${p.text}${/[.?!]$/.test(p.text) ? '' : '.'} Without it its programs would do what nobody decided.`,
          ...(typeof at0 === 'number' && (fallback || !view.get('Addon', addon)?.questions?.some((q) => q.key === question))
            ? { remedy: setTo(d, ['answers'], rest.length ? rest : undefined, fallback ? 'Take the default' : 'Take it out') }
            : {}),
        });
      }),
});
