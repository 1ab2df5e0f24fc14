import { runsWith, removedIn } from '../images/versions.ts';
import { addonsOf } from '../model/bills.ts';
import type { Charter } from '../model/charter.ts';
import type { Addon } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

/** An add-on as a cluster could have it. */
export interface Offer {
  addon: Addon;
  /** The charter has it already. */
  has: boolean;
  /** Why the cluster cannot have it; none: nothing that its documents say is against it. */
  against?: string;
}

/** The add-ons of the estate as one cluster could have them, by title. Those that bring the pod network are chosen with the network, and are left out. */
export function catalogue(estate: Pick<Estate, 'addons' | 'releases'>, charter: Charter): Offer[] {
  const release = estate.releases.find((r) => r.name === charter.release);
  const has = new Set(addonsOf(charter));
  return estate.addons
    .filter((a) => !a.provides)
    .map((addon): Offer => {
      const gone = release ? removedIn(release, addon)[0] : undefined;
      const against =
        release && !runsWith(addon, release)
          ? `It runs with ${addon.runsWith}; ${charter.name} has ${release.version}.`
          : gone
            ? `${release?.version} serves no ${gone.kind} of ${gone.apiVersion} any more${gone.instead ? `: ${gone.instead} took its place` : ''}.`
            : undefined;
      return { addon, has: has.has(addon.name), ...(against ? { against } : {}) };
    })
    .sort((a, b) => a.addon.title.localeCompare(b.addon.title, 'en'));
}
