import { apiNameOf, inboundNameOf } from '../charter/addresses.ts';
import type { View } from '../reading/index.ts';

/** For each name of an API or of inbound the charters that ask for it. */
export const namesOfCharters = (view: View): ReadonlyMap<string, readonly string[]> =>
  view.memo('names of charters', () => {
    const out = new Map<string, string[]>();
    for (const c of view.all('Charter')) {
      const site = view.get('Site', c.site);
      for (const name of [apiNameOf(c, site), inboundNameOf(c, site)]) out.set(name, [...(out.get(name) ?? []), c.name]);
    }
    return out;
  });
