import type { Principal } from '@praesidor/core/access';
import { type Edit, keyOf } from '@praesidor/core/model';
import type { Asked, SitesPreview } from '@praesidor/core/sites';
import { counted } from '@praesidor/core/words';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { changePlan } from '../../estate/change.ts';
import { loadEstate } from '../../estate/load.ts';
import { Refusal } from '../../refusal.ts';

const shownAtOnce = 1000;

/** What a table of sites would make; nothing is changed. */
export async function previewSites(ctx: Context, asked: Asked) {
  const { estate } = await loadEstate(ctx.db);
  const p = await ctx.compute.readSites(estate, asked);
  return {
    ...p,
    sites: p.sites.slice(0, shownAtOnce).map(({ docs, ...s }) => ({ ...s, documents: docs.map((d) => `${d.kind} ${keyOf(d)}`) })),
    more: Math.max(0, p.sites.length - shownAtOnce),
    documents: p.sites.reduce((n, s) => n + s.docs.length, 0),
  };
}

/**
 * Makes the sites of a table in one transaction, with everything that belongs to them. One that is wrong stops it, unless such sites may
 * be left out; what is there already stays as it is.
 */
export async function makeSites(
  ctx: Context,
  { leaveOut, revision, ...asked }: Asked & { leaveOut: boolean; revision?: number | undefined },
  who: Principal,
) {
  const { estate } = await loadEstate(ctx.db);
  const p: SitesPreview = await ctx.compute.readSites(estate, asked);
  if (p.fault)
    throw new Refusal('invalid', `The table cannot be read: line ${p.fault.line}: ${p.fault.message}.`, { places: [p.fault] });
  const faults = p.sites.flatMap((s) => s.faults.map((f) => ({ ...f, message: `${s.name}: ${f.message.replace(/\.$/, '')}` })));
  if (faults.length && !leaveOut)
    throw new Refusal(
      'invalid',
      `Nothing was made: ${counted(p.counts.wrong, 'site is', 'sites are')} wrong, the first in line ${faults[0]?.line}: ${faults[0]?.message}.`,
      { places: faults.slice(0, 100), remedy: 'Correct the lines, or leave these sites out.' },
    );
  const made = p.sites.filter((s) => s.what === 'new');
  if (!made.length)
    throw new Refusal('not-now', 'The table has no site that is not there already.', {
      remedy: 'Add lines with the names of new sites.',
    });
  const edits = made.flatMap((s) => s.docs.map((doc): Edit => ({ op: 'put', doc })));
  return ctx.db.transaction(async (m) => {
    const changes = await changePlan(m, who, edits, {
      act: 'plan.import',
      via: 'hand',
      note: `made like ${asked.like}`,
      revision,
    });
    // They were not there when the table was read: somebody was quicker.
    const there = changes.find((c) => c.before);
    if (there)
      throw new Refusal('conflict', `${there.kind} ${there.key} was declared just now. Nothing was made.`, {
        remedy: 'Look at the table again, then make what is left.',
      });
    const act = await record(
      m,
      who.login,
      'made sites',
      made.map((s) => s.name).join(' '),
      { like: asked.like, sites: made.length, documents: changes.length },
      changes,
      'plan.import',
    );
    return { sites: made.length, documents: changes.length, act };
  });
}
