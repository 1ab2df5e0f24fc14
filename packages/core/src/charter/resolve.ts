import type { Charter } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { View, viewOf } from '../reading/index.ts';
import type { Aspect, Part } from './aspects/aspect.ts';
import { aspects } from './aspects/index.ts';
import type { Computed, Follow, Plan, Problem } from './plan.ts';

/** One aspect of the plan of a charter that stands in the estate, kept as long as what it read. */
function partOf<P extends object>(view: View, name: string, aspect: Aspect<P>): Part<P> {
  return view.memo(`${aspect.name} of ${name}`, () => {
    const charter = view.get('Charter', name);
    if (!charter) throw new Error(`there is no charter ${name}`);
    return aspect.compute({ charter, view, need: (other) => partOf(view, name, other) });
  });
}

/**
 * Everything that follows from a charter that stands in the estate, without the words of the sheet. Kept by the view: what is read of it
 * again costs nothing until something changed that one of its aspects has read.
 *
 * @throws Error where there is no such charter
 */
export const planOf = (view: View, name: string): Computed =>
  view.memo(`plan of ${name}`, () => {
    const parts = aspects.map((a) => partOf(view, name, a as Aspect<object>));
    const problems: Problem[] = parts.flatMap((p) => p.problems ?? []);
    const {
      chosen: _,
      nodeAddresses: __,
      further: ___,
      ...plan
    } = Object.assign({}, ...parts) as Computed & {
      chosen: unknown;
      nodeAddresses: unknown;
      further: unknown;
    };
    return { ...plan, charter: view.get('Charter', name) as Charter, problems };
  });

/** What the sheet says of a plan, section by section. */
export const sheetOf = (plan: Computed): Follow[] =>
  aspects
    .flatMap((a) => a.lines?.(plan) ?? [])
    .map((l) => ({ ...l, mono: l.mono ?? false }))
    .sort((a, b) => a.section - b.section);

/**
 * Everything that follows from a charter in its estate. Deterministic: the same input gives the same plan,
 * and what is already held stays. Never throws on a valid charter; what is lacking is in `problems`.
 */
export function resolve(charter: Charter, estate: Estate): Plan {
  const here = viewOf(estate);
  // A charter that is not saved is computed as if it were.
  const view =
    here.get('Charter', charter.name) === charter
      ? here
      : new View({ ...estate, charters: [...estate.charters.filter((c) => c.name !== charter.name), charter] });
  const plan = planOf(view, charter.name);
  return { ...plan, follows: sheetOf(plan) };
}
