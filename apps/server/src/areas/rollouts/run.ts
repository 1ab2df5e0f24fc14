import { heldBy, isOpen, missing } from '@praesidor/core/images';
import { billsOf, type Charter, type Estate } from '@praesidor/core/model';
import { viewOf } from '@praesidor/core/reading';
import { RolloutAsked, type RolloutWhen } from '@praesidor/core/rollout';
import { failedSteps, openStates, passed, type StepKind } from '@praesidor/core/schedule';
import { broughtTo } from '@praesidor/core/template';
import { principalOf } from '../../access/permit.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { type RunRow, Shipments } from '../../db/tables.ts';
import { NotBefore, StepFailure } from '../../engine/failure.ts';
import { memoryOf, type RunKind, type StepTools } from '../../engine/kind.ts';
import { statusOf } from '../../engine/state.ts';
import type { Track } from '../../engine/track.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { needBuild } from '../builds/rows.ts';
import { beginChange, dueChange } from '../builds/service.ts';
import { holdWithin, saveCharter } from '../clusters/service.ts';
import { planShipment } from '../images/plan.ts';
import { startIn } from '../images/shipments.ts';

/** A version of a template on its way over many clusters, as the engine carries it out. */
export const rolloutRun: RunKind = {
  kind: 'rollout',
  act: 'builds.run',
  noun: 'a roll-out',
  called: (run) => run.title,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run, track) => {
    const asked = RolloutAsked.parse(run.asked);
    const who = run.runBy ?? run.createdBy;
    return {
      perform: (tools) => {
        const carriesOut = acts[tools.step.kind];
        if (!carriesOut) throw new Error(`no step of a roll-out: ${tools.step.kind}`);
        return carriesOut({ ctx, run, asked, who, track, tools, cluster: tools.step.lane });
      },
    };
  },
};

interface Rolling {
  ctx: Context;
  run: RunRow;
  asked: RolloutAsked;
  /** In whose name it goes on. */
  who: string;
  track: Track;
  tools: StepTools;
  cluster: string;
}
const acts: Partial<Record<StepKind, (r: Rolling) => Promise<string>>> = { ahead, bring, changed, between };

/** The charter as the version makes it. @throws StepFailure */
function nextOf({ run, asked, cluster }: Rolling, estate: Estate): { charter: Charter; next: Charter } {
  const charter = needIn(estate, 'Charter', cluster);
  if (charter.template?.name !== run.subject)
    throw new StepFailure(`${cluster} is not of ${run.subject} any more.`, 'Begin a roll-out without it.');
  if (charter.template.version === asked.version) return { charter, next: charter };
  const next = broughtTo(charter, viewOf(estate), asked.version);
  if (!next)
    throw new StepFailure(
      `${cluster} cannot be brought to version ${asked.version}: an answer is lacking, or a version is not known.`,
      'Answer it in its charter, then resume.',
    );
  return { charter, next };
}

/** Milliseconds after which a registry that was out of reach is looked at again. */
const looksAgain = 5 * 60_000;
/** Images of the version are at the mirror of a cluster before its charter is touched. */
async function ahead(r: Rolling): Promise<string> {
  const { ctx, tools, who, asked, cluster } = r;
  const { knows, remember } = memoryOf(tools);
  const m = ctx.db.manager;
  for (;;) {
    const estate = await estateNow(ctx.db);
    const { next } = nextOf(r, estate);
    const registry = needIn(estate, 'Registry', next.mirror);
    const bills = billsOf(next);
    const known = bills.flatMap((n) => estate.observed.bills[n] ?? []);
    const seen = estate.observed.registries[registry.name];
    if (known.length === bills.length && seen && !seen.error && !missing(known, heldBy(seen, registry)).images.length) {
      await remember('shipment', undefined);
      return `${registry.name} has all of ${bills.join(', ')}`;
    }
    const shipment = knows.shipment ? await m.findOneBy(Shipments, { label: knows.shipment }) : null;
    if (shipment && ['failed', 'stopped', 'short'].includes(shipment.state)) {
      await remember('shipment', undefined);
      throw new StepFailure(
        `Shipment ${shipment.label} of ${cluster} is ${shipment.state}${shipment.error ? `: ${shipment.error}` : ''}.`,
        'See to it under Images, then resume: what is lacking is shipped.',
      );
    }
    if (!shipment || shipment.state === 'landed') {
      const site = estate.sites.find((s) => s.name === registry.site);
      if (site?.reach === 'sealed')
        throw new StepFailure(
          `${site.title} is sealed: images of ${bills.join(', ')} are carried there.`,
          'Plan a shipment by case under Images, carry it, then resume.',
        );
      const way = asked.when === 'docked' && site?.fastLink ? 'fast-link' : 'link';
      const made = await planShipment(ctx, { target: registry.name, bills, way }, who, async (t, [s]) => {
        if (!s) return;
        await record(t, who, 'planned a shipment', s.label, { target: s.target, bills, rollout: r.run.title });
        await startIn(ctx, t, s.label, who);
      }).catch((e: unknown) => {
        // A ship at sea, a link that is cut: it comes back, and is looked at again.
        if (e instanceof Refusal && e.code === 'unreachable')
          throw new NotBefore(`out of reach: ${e.message}`, new Date(Date.now() + looksAgain).toISOString());
        throw e;
      });
      await remember('shipment', made.label);
      await tools.log(`shipment ${made.label} to ${registry.name}`);
    } else await tools.progress(0, 1, `${shipment.label} is ${shipment.state}`);
    await ctx.bus.next((e) => e.kind === 'Shipment' && e.subject === knows.shipment, 2000, tools.signal);
    if (tools.signal.aborted) throw new Error('stopped');
  }
}

/** The charter is brought to the version, and has to pass every check; what differs from the template on purpose stays. */
async function bring(r: Rolling): Promise<string> {
  const { ctx, run, asked, who, cluster } = r;
  await r.track.refresh(ctx.db.manager);
  // Images that did not come keep their own cluster, and nobody else.
  const broken = failedSteps(run.steps, r.track.status).find((s) => s.lane !== cluster && s.kind !== 'ahead');
  if (broken)
    throw new StepFailure(
      `${cluster} is not begun: ${broken.lane} failed.`,
      `See to ${broken.lane}, then resume: all that failed is tried again.`,
    );
  inItsHours(await estateNow(ctx.db), r);
  const version = await ctx.db.transaction(async (m) => {
    const { charter, next } = nextOf(r, (await loadEstate(m)).estate);
    if (charter === next) return undefined;
    const note = `version ${asked.version} of ${run.subject}`;
    const { changes } = await saveCharter(m, await principalOf(m, who), next, { base: charter }, note);
    const held = await holdWithin(m, cluster, who);
    await record(
      m,
      who,
      'brought a charter to a version of its template',
      cluster,
      { template: run.subject, version: asked.version },
      [...changes, ...held.changes],
      'charters.save',
    );
    return asked.version;
  });
  const [stop, ...more] = await ctx.compute.stopsOf(await estateNow(ctx.db), cluster);
  if (stop)
    throw new StepFailure(
      `${stop.code} ${stop.title}${more.length ? `, and ${more.length} more` : ''}.`,
      'Settle what stands in the margin of its charter, then resume.',
    );
  return version === undefined ? `is at version ${asked.version}` : `brought to version ${version}, and all checks hold`;
}

/** What the version makes of a cluster that stands is changed and proved; one release after the other where several lie on the way. */
async function changed(r: Rolling): Promise<string> {
  const { ctx, who, cluster, tools } = r;
  const { knows, remember } = memoryOf(tools);
  const said: string[] = [];
  for (;;) {
    if (tools.signal.aborted) throw new Error('stopped');
    if (!knows.number) {
      const due = await dueChange(ctx, cluster);
      if (!due) return said.length ? `${said.join(', then ')}: proved` : 'stands as the version says';
      if (due.kind === 'build') return 'is not built: its charter is at the version';
      if (due.refused.length)
        throw new StepFailure(`${due.title}: ${due.refused.join('; ')}.`, 'Change its charter, then resume.');
      const begun = await beginChange(ctx, cluster, due.kind, who);
      await remember('number', String(begun.number));
      await tools.log(`${due.title}, number ${begun.number}`);
    }
    const build = await needBuild(ctx.db.manager, cluster, Number(knows.number));
    const status = await statusOf(ctx.db.manager, build);
    const done = Object.values(status.steps).filter((s) => passed(s.state)).length;
    await tools.progress(done, build.steps.length, build.title);
    if (status.state === 'done') {
      said.push(build.title);
      await remember('number', undefined);
    } else if (!(openStates as readonly string[]).includes(status.state)) {
      const [broken] = failedSteps(build.steps, status);
      throw new StepFailure(
        `“${build.title}” ${status.state === 'stopped' ? 'was stopped' : 'failed'}${broken ? ` at ${broken.lane} ${broken.title}` : ''}.`,
        'Open it, mend and resume it; then resume the roll-out.',
      );
    } else await ctx.bus.next((e) => e.kind === 'Build' && e.subject === build.subject, 2000, tools.signal);
  }
}

/** A wave begins when the one before has rested. */
async function between(r: Rolling): Promise<string> {
  const { knows, remember } = memoryOf(r.tools);
  const until = knows.until ?? new Date(Date.now() + r.asked.restHours * 3_600_000).toISOString();
  if (!knows.until) await remember('until', until);
  if (Date.parse(until) > Date.now()) throw new NotBefore('the wave before rests', until);
  return 'begins';
}

const words: Record<Exclude<RolloutWhen, 'any'>, string> = {
  hours: 'waits for the permitted hours of its link',
  docked: 'waits for its faster link',
};
/** @throws NotBefore outside of the hours in which the site may be changed */
function inItsHours(estate: Estate, { asked, cluster }: Rolling): void {
  if (asked.when === 'any') return;
  const site = estate.sites.find((s) => s.name === needIn(estate, 'Charter', cluster).site);
  const way = asked.when === 'docked' ? site?.fastLink : site?.link;
  if (!site || !way) return;
  const { open, until } = isOpen(way, site.timezone, new Date().toISOString());
  if (!open && until) throw new NotBefore(words[asked.when], until);
}
