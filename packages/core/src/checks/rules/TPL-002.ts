import { departures } from '../../template/draw.ts';
import { labelOfField } from '../../model/fields/label.ts';
import { needsOfBlank, versionOf } from '../../model/template.ts';
import type { Charter } from '../../model/documents.ts';
import type { View } from '../../reading/index.ts';
import { at, each } from '../check.ts';

const said = (v: unknown) => (v === undefined ? 'nothing' : typeof v === 'object' ? JSON.stringify(v) : String(v));

/** Whether a question follows from another, in one step or in several. */
function restsOn(c: Charter, view: View, question: string | undefined, on: string | undefined): boolean {
  const t = c.template && view.get('Template', c.template.name);
  const all = (t && c.template && versionOf(t, c.template.version)?.questions) || [];
  const seen = new Set<string>();
  const look = (key: string | undefined): boolean => {
    const q = all.find((x) => x.key === key);
    if (!q || seen.has(q.key)) return false;
    seen.add(q.key);
    const needs = needsOfBlank(q, all);
    return (on !== undefined && needs.includes(on)) || needs.some(look);
  };
  return look(question);
}

export const TPL002 = each('Charter', {
  code: 'TPL-002',
  severity: 'note',
  about: 'a charter departs from its template, and nobody said that it is meant to',
  find: (d, view) =>
    (departures(d, view) ?? [])
      .filter((x) => !x.onPurpose)
      .map((x, _, all) =>
        at(d, x.path, {
          title: `${labelOfField('Charter', x.path)} departs from ${d.template?.name}`,
          text: `${d.name} has ${said(x.after)}; version ${d.template?.version} gives ${said(x.before)}.`,
          remedy: {
            label: x.before === undefined ? 'Take it out' : `Let it follow: ${said(x.before)}`,
            // With it goes what follows from it: a worker less where the control plane has a host more.
            edits: [x, ...all.filter((y) => y !== x && restsOn(d, view, y.question, x.question))].map((y) => ({
              op: 'set' as const,
              kind: 'Charter' as const,
              key: d.name,
              path: y.path,
              value: y.before,
            })),
          },
        }),
      ),
});
