import { heldBy, missing, sizeOf } from '../images/index.ts';
import { billsOf } from '../model/bills.ts';
import type { Charter } from '../model/documents.ts';
import { differences, withFields } from '../model/difference.ts';
import { type Template, type TemplateVersion, versionOf } from '../model/template.ts';
import type { View } from '../reading/index.ts';
import { type Answered, answerFrom, departures, type Departure, draw, drawnFor } from './draw.ts';

/** One line of the clusters of a template: a cluster of it, or a site that could have one. */
export interface ClusterOf {
  site: string;
  charter?: string;
  version?: number;
  /** Where it is otherwise than the version that stands; undefined: it cannot be said, and why. */
  differs?: Departure[];
  unknown?: string;
  answers: (Answered & { has: string | undefined })[];
  /** Of the images of the version that stands: layers that its mirror has. */
  images: { release: string; has: number; of: number } | undefined;
}

/** Of the images that a charter needs: layers that its mirror has, as it was seen last; undefined: not known. */
export function imagesFor(c: Charter, view: View): ClusterOf['images'] {
  const names = billsOf(c);
  const bills = names.flatMap((n) => view.get('bill', n) ?? []);
  const seen = view.get('seen registry', c.mirror);
  if (bills.length < names.length || !seen) return undefined;
  const of = sizeOf(bills).blobs;
  return { release: c.release, has: of - missing(bills, heldBy(seen, view.get('Registry', c.mirror))).blobs, of };
}

/** The clusters of a template, and after them the sites of the same form that have no cluster. */
export function clustersOf(template: Template, view: View): ClusterOf[] {
  const charters = [...view.by('Charter', 'template', template.name)].sort((a, b) => (a.name < b.name ? -1 : 1));
  const now = versionOf(template, template.version) as TemplateVersion;
  const rows = charters.map((c): ClusterOf => {
    const drawn = draw({ name: template.name, ...now }, c.template?.answers ?? [], view, { self: c });
    const differs = departures(c, view, template.version);
    return {
      site: c.site,
      charter: c.name,
      ...(c.template ? { version: c.template.version } : {}),
      ...(differs ? { differs } : { unknown: drawn.faults[0]?.message ?? `version ${c.template?.version} is not known` }),
      answers: drawn.answers.map((a) => ({ ...a, has: answerFrom(a.question, c) })),
      images: imagesFor(drawn.charter ?? c, view),
    };
  });
  const forms = new Set(charters.map((c) => view.get('Site', c.site)?.form));
  const bare = view
    .all('Site')
    .filter((s) => forms.has(s.form) && !view.by('Charter', 'site', s.name).length)
    .map(
      (s): ClusterOf => ({
        site: s.name,
        answers: draw({ name: template.name, ...now }, [], view, { site: s.name }).answers.map((a) => ({ ...a, has: undefined })),
        images: undefined,
      }),
    );
  return [...rows, ...bare];
}

/**
 * A charter brought to another version of its template: what that version changes is changed, and everything in which the charter departs
 * from its template, on purpose or not, stays.
 *
 * @returns undefined where one of the versions is not known, or an answer is lacking
 */
export function broughtTo(charter: Charter, view: View, version: number): Charter | undefined {
  const was = drawnFor(charter, view)?.charter;
  const is = drawnFor(charter, view, version)?.charter;
  if (!was || !is || !charter.template) return undefined;
  const meant = charter.template.onPurpose ?? [];
  const changes = differences(was, is).filter((d) => {
    const field = d.path.join('.');
    return d.path[0] !== 'template' && !meant.some((m) => field === m || field.startsWith(`${m}.`));
  });
  return { ...withFields(charter, changes, 'after'), template: { ...charter.template, version } };
}
