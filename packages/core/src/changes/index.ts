import { type Known, nothingKnown } from '../schedule/estimate.ts';
import { usableCores, usableMemory } from '../charter/arithmetic.ts';
import type { Plan } from '../charter/plan.ts';
import type { AuthorityStage, Host } from '../model/documents.ts';
import { nodeOf } from '../ledger/host-of.ts';
import { byName } from '../model/estate.ts';
import { newRun } from '../schedule/run.ts';
import type { Step } from '../schedule/steps.ts';
import { timeline } from '../schedule/timeline.ts';
import { counted } from '../words/amounts.ts';
import type { Between, ChangeKind, ChangeName, ChangePlan, ChangeRow, Installed, Moves, Standing } from './change.ts';
import { apply } from './kinds/apply.ts';
import { authority } from './kinds/authority.ts';
import { build } from './kinds/build.ts';
import { renew } from './kinds/renew.ts';
import { atOnceRow, guestsRow } from './kinds/in-place.ts';
import { giveBack } from './kinds/give-back.ts';
import { takeDown } from './kinds/take-down.ts';
import { release, takeIn } from './kinds/taken-in.ts';
import { upgrade } from './kinds/upgrade.ts';
import { addHosts, placeOf, removeHosts, replaceHosts } from './kinds/hosts.ts';

export * from './gateway.ts';
export * from './change.ts';
export * from './made.ts';
export * from './way.ts';
export { authorityDue, authorityFrom } from './kinds/authority.ts';
export { buildSteps } from './kinds/build.ts';
export { firstEnd, renewFrom } from './kinds/renew.ts';

/** Every kind of change to a cluster. A new kind is a file and a line. */
export const changeKinds: readonly ChangeKind[] = [
  build,
  upgrade,
  addHosts,
  replaceHosts,
  removeHosts,
  apply,
  authority,
  renew,
  takeDown,
  giveBack,
  takeIn,
  release,
];
/** Kinds after which nothing stands of a cluster. */
export const endingKinds: readonly ChangeName[] = changeKinds.filter((k) => k.ends).map((k) => k.kind);
export const changeKind = (name: ChangeName): ChangeKind => changeKinds.find((k) => k.kind === name) as ChangeKind;

/** What leads from what stands of a cluster to its plan. */
export function between(plan: Plan, estate: Standing, installed: Partial<Installed> = {}): Between {
  const name = plan.charter.name;
  const serving = estate.hosts.filter((h) => h.held?.charter === name && h.state === 'serving').sort(byName);
  const stands = new Set(serving.map((h) => h.name));
  const stays = plan.nodes.filter((n) => stands.has(n.host));
  const planned = new Set(plan.nodes.map((n) => n.host));
  return {
    plan,
    estate,
    now: Date.parse(estate.now),
    installed: {
      accounts: installed.accounts ?? new Set(),
      files: installed.files ?? new Map(),
      manifests: installed.manifests ?? [],
      certificates: installed.certificates ?? certificatesOf(serving),
      charter: installed.charter,
      authority: installed.authority ?? authorityOf(serving),
      requested: installed.requested,
      further: installed.further,
      elsewhere: installed.elsewhere,
    },
    stays,
    behind: stays.flatMap((node) => {
      const { release } = serving.find((h) => h.name === node.host)?.held ?? {};
      // Of a cluster that was not built here it is not known: it is taken to be as it is declared.
      return release && release !== plan.charter.release ? [{ node, release }] : [];
    }),
    joins: plan.nodes.filter((n) => !stands.has(n.host)),
    keeps: estate.hosts
      .filter((h) => h.held?.charter === name && h.state === 'held' && h.held.installed)
      .sort(byName)
      .map((h) => ({ host: h.name, hypervisor: h.guest?.hypervisor })),
    leaves: serving
      .filter((h) => !planned.has(h.name))
      .map((h) => ({
        host: h.name,
        role: h.held?.role ?? 'worker',
        zone: h.zone ?? '',
        address: estate.reservations.find((r) => r.owner.name === name && nodeOf(r) === h.name)?.address,
        cores: usableCores(h.facts?.cores ?? 0),
        memoryGiB: usableMemory(h.facts?.memoryGiB ?? 0),
        pods: plan.charter.pods.most,
      })),
  };
}

/** The change that is due: undefined where what stands is as planned. */
export function changeDue(
  plan: Plan,
  estate: Standing,
  known: Known = nothingKnown,
  installed?: Partial<Installed>,
): ChangePlan | undefined {
  const b = between(plan, estate, installed);
  const kind = changeKinds.find((k) => k.due(b));
  return kind && planned(kind, b, known);
}

const certificatesOf = (serving: readonly Host[]): Map<string, string> =>
  new Map(serving.flatMap((h) => (h.held?.certificates ? [[h.name, h.held.certificates] as const] : [])));

/** Where a change of its authorities stands, as its hosts know it. */
export const authorityOf = (serving: readonly Host[]): Installed['authority'] => {
  const all = serving.flatMap((h) => h.held?.authority ?? []);
  if (!all.length) return undefined;
  // Who came in between was given what is trusted by then: whoever is furthest says where it is.
  const stage = Math.max(...all.map((a) => a.stage)) as AuthorityStage;
  return { stage, ends: all.reduce((first, a) => (a.ends < first ? a.ends : first), all[0]?.ends ?? '') };
};

/** A change that somebody asks for, such as taking a cluster down; undefined: there is nothing that it could be made of. */
export function changeAsked(
  name: ChangeName,
  plan: Plan,
  estate: Standing,
  known: Known = nothingKnown,
  installed?: Partial<Installed>,
): ChangePlan | undefined {
  const b = between(plan, estate, installed);
  const kind = changeKind(name);
  return kind.asked?.(b) ? planned(kind, b, known) : undefined;
}

function planned(kind: ChangeKind, b: Between, known: Known): ChangePlan {
  const steps = kind.steps(b, known);
  const point = kind.point?.(b, steps);
  return {
    kind: kind.kind,
    label: kind.label,
    title: kind.title(b),
    ...movesOf(b, kind),
    steps,
    refused: [
      ...(b.installed.elsewhere && !kind.elsewhere
        ? ['it was built elsewhere, and its hosts are not installed from here: do it where it was built, or release it']
        : []),
      ...(kind.refused?.(b) ?? []),
    ],
    further: kind.further?.(b) ?? [],
    away: kind.away(b),
    ...(point ? { point } : {}),
    ...(kind.authority ? { authority: kind.authority(b) } : {}),
    ends: kind.ends === true,
    ...(kind.confirm ? { confirm: kind.confirm(b) } : {}),
    rows: kind.rows?.(b) ?? rowsOf(b),
    capacity: capacityOver(b, steps),
    ...(b.installed.requested ? { requested: b.installed.requested } : {}),
  };
}

export const movesOf = (b: Between, kind: ChangeKind): Moves => ({
  joins: (kind.installs?.(b) ?? b.joins).map((n) => n.host),
  leaves: kind.removes?.(b) ?? b.leaves.map((l) => l.host),
  stands: b.stays.map((n) => n.host),
});

/** Usable cores over time: those of a host are gone from when it is drained or switched off, and there from when it has joined. */
function capacityOver(b: Between, steps: readonly Step[]): ChangePlan['capacity'] {
  const alone = !b.plan.nodes.some((n) => n.role === 'worker');
  const counts = (n: { role: string }) => alone || n.role === 'worker';
  const own = [...b.stays, ...b.joins].map((n) => ({ host: n.host, role: n.role, cores: usableCores(n.facts.cores) }));
  const coresOf = new Map([...own, ...b.leaves].filter(counts).map((h) => [h.host, h.cores]));
  const now = [...b.stays, ...b.leaves].reduce((sum, h) => sum + (coresOf.get(h.host) ?? 0), 0);
  const byId = new Map(steps.map((s) => [s.id, s]));
  const moments = timeline(steps, newRun(steps), 0).bars.flatMap(({ id, start, end }) => {
    const step = byId.get(id);
    const of = coresOf.get(step?.host ?? '');
    if (!step || of === undefined) return [];
    if (step.kind === 'drain' || step.kind === 'off') return [{ at: start / 1000, by: -of }];
    return step.kind === 'worker' || step.kind === 'control-plane' ? [{ at: end / 1000, by: of }] : [];
  });
  let cores = now;
  const points = [{ at: 0, cores: Math.round(cores) }];
  for (const m of moments.sort((x, y) => x.at - y.at)) {
    cores += m.by;
    // What comes and goes in one moment is one step.
    if (points.at(-1)?.at === m.at) points.pop();
    points.push({ at: m.at, cores: Math.round(cores) });
  }
  return points.filter((p, n) => p.cores !== points[n - 1]?.cores);
}

function rowsOf(b: Between): ChangeRow[] {
  const role = (r: string) => r.replace('-', ' ');
  return [
    ...b.joins.map((n) => ({
      what: n.host,
      now: 'held',
      after: `${role(n.role)}, ${n.address}`,
      how: `${n.guest ? 'cast and installed' : 'installed anew'}${placeOf(b, n) ? `, when ${placeOf(b, n)?.host} has left: it has its address` : ''}`,
      field: n.role === 'control-plane' ? 'controlPlane.count' : n.pool === 'workers' ? 'workers.count' : 'pools',
    })),
    ...b.leaves.map((l) => ({
      what: l.host,
      now: `serves as ${role(l.role)}`,
      after: 'rests, to be wiped',
      how: 'drained, then switched off',
      field: 'except',
    })),
    ...(b.behind.length
      ? [
          {
            what: counted(b.behind.length, 'host'),
            now: [...new Set(b.behind.map((x) => x.release))].join(', '),
            after: b.plan.charter.release,
            how: 'each drained before; what is on its disks stays',
            field: 'release',
          },
        ]
      : []),
    ...(b.behind.length && b.installed.further?.length
      ? [
          {
            what: 'Further releases',
            now: b.plan.charter.release,
            after: b.installed.further.join(', then '),
            how: 'begun by itself when this one is proved; images of all are there before anything begins',
            field: 'release',
          },
        ]
      : []),
    ...guestsRow(b.behind.map((x) => x.node)),
    ...atOnceRow(b, [...b.behind.map((x) => x.node), ...b.leaves].filter((n) => n.role === 'worker').length),
    {
      what: 'Hosts',
      now: counted(b.stays.length + b.leaves.length, 'host'),
      after: counted(b.plan.nodes.length, 'host'),
      how: b.stays.length ? `${counted(b.stays.length - b.behind.length, 'host')} not touched` : 'all at once',
    },
  ];
}
