import type { Estate } from '../model/estate.ts';
import type { View } from '../reading/index.ts';
import { viewOf } from '../reading/index.ts';
import { type ColdStart, inOrder, type StartCircle } from './order.ts';
import { Parts } from './parts.ts';

/** What starts when at a site that lost all power, and what stops when before a planned stop; undefined: there is no such site. */
export function coldStart(view: View, site: string): ColdStart | undefined {
  const found = view.get('Site', site);
  return found && inOrder(new Parts(view, found).wanted().all);
}
/** Circles alone: no cluster is looked at that nothing of the site waits for. */
export function circlesAt(view: View, site: string): StartCircle[] {
  const found = view.get('Site', site);
  return found ? inOrder(new Parts(view, found).shared().all).circles : [];
}
export const coldStartOf = (estate: Estate, site: string): ColdStart | undefined => coldStart(viewOf(estate), site);
