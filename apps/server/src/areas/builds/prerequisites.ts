import { isIp, serverList } from '@praesidor/core/address';
import { between } from '@praesidor/core/changes';
import type { Plan } from '@praesidor/core/charter';
import { heldBy, missing } from '@praesidor/core/images';
import type { Estate } from '@praesidor/core/model';
import { pointerName, resolversOf, timeServersOf } from '@praesidor/core/naming';
import { type Step, type StepKind, stepOf } from '@praesidor/core/schedule';
import { bytesText, counted } from '@praesidor/core/words';
import { connects } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import { askTime } from '@praesidor/protocols/ntp';
import { ping, targetOf } from '@praesidor/protocols/oci';
import { powerState } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { bmcFor } from '../hosts/bmc.ts';
import { type Started, startedBy } from '../clusters/kit.ts';
import { lookAtHypervisor } from '../hosts/hypervisors.ts';
import { lookAt, openRegistry } from '../images/registries.ts';
import { askOverTls } from './authority.ts';
import { bootProgram, systemLacks } from './boot-program.ts';

/** What a measurement is given. */
export interface Measuring {
  ctx: Context;
  plan: Plan;
  estate: Estate;
  signal: AbortSignal;
  /** Of a change that is begun: where it puts files on hosts that run, what none of its steps needs is not measured for it. */
  steps?: readonly Step[];
}
/** Something that must be so before a build touches anything. */
export interface Prerequisite {
  /** What tells it from the others of its charter. */
  id: string;
  what: string;
  how: string;
  /** Says what was found, or throws with what is wrong; without it somebody confirms it by name. */
  measure?: () => Promise<string>;
  /** Measured only where everything before it is good. */
  last?: true;
  /** A build does not wait for it; `unless-wrong`: it goes on where nothing can be measured, and stops at what is `MeasuredWrong`. */
  aside?: true | 'unless-wrong';
}
/** Something was measured, and it is not as it must be: not that it could not be measured. */
export class MeasuredWrong extends Error {}

/** One maker of prerequisites for each thing that is looked at, and the kind of step that alone needs it. A new one is a line. */
const makers: { make: (m: Measuring) => Prerequisite[]; for?: StepKind }[] = [
  { make: findings },
  { make: controllers, for: 'power' },
  { make: hypervisors, for: 'cast' },
  { make: logins, for: 'files' },
  { make: resolvers },
  { make: names },
  { make: time },
  { make: mirror, for: 'images' },
  { make: images, for: 'images' },
  { make: system, for: 'power' },
  { make: kit, for: 'power' },
  { make: addresses, for: 'power' },
  { make: byHand },
];
/** Everything that a charter needs before it is built, or before this change of it, in the order in which it is read. */
export const prerequisitesOf = (m: Measuring): Prerequisite[] =>
  makers.filter((x) => !x.for || !putsFiles(m) || m.steps?.some((s) => s.kind === x.for)).flatMap((x) => x.make(m));
const putsFiles = ({ steps = [] }: Measuring) => steps.some((s) => s.kind === 'files');

function findings({ ctx, plan, estate }: Measuring): Prerequisite[] {
  return [
    {
      id: 'findings',
      what: 'No finding stops it',
      how: 'every check, over the plan as it stands',
      measure: async () => {
        const stops = await ctx.compute.stopsOf(estate, plan.charter.name);
        if (stops.length) throw new Error(stops.map((f) => `${f.code} ${f.title}`).join('; '));
        return 'none does';
      },
    },
    ...plan.nodes
      .filter((n) => !isIp(n.address))
      .map(
        (n): Prerequisite => ({
          id: `address ${n.host}`,
          what: `${n.host} has an address`,
          how: 'from the plan',
          measure: () => Promise.reject(new Error(`${n.host} has no address`)),
        }),
      ),
  ];
}

/** Hosts that a change would install: those that do not serve yet, or have another release; of a cluster that stands as planned all, for whoever asks. */
function touched(m: Measuring) {
  const { plan, estate, steps = [] } = m;
  if (putsFiles(m)) return plan.nodes.filter((n) => stepOf(steps, 'power', n.host));
  const { joins, behind } = between(plan, estate);
  const installed = [...joins, ...behind.map((b) => b.node)];
  return installed.length ? installed : plan.nodes;
}

function controllers(m: Measuring): Prerequisite[] {
  const { ctx, estate, signal } = m;
  return touched(m)
    .filter((n) => n.bmc)
    .map((n) => ({
      id: `bmc ${n.host}`,
      what: `BMC of ${n.host}, ${n.bmc}`,
      how: 'asked over Redfish: that it answers, shows the certificate that was accepted, and takes the credential',
      measure: async () => {
        const { bmc } = estate.hosts.find((h) => h.name === n.host) ?? {};
        ctx.dialer.forget(n.bmc as string);
        const at = await bmcFor(
          ctx,
          { document: `Host ${n.host}`, address: n.bmc as string },
          bmc?.fingerprint,
          bmc?.credential ?? '',
          signal,
        );
        return `answers, power ${await powerState(at)}`;
      },
    }));
}

/** Whether hosts take connections over SSH on which new files are put while they run. */
function logins({ ctx, plan, steps = [] }: Measuring): Prerequisite[] {
  return plan.nodes
    .filter((n) => stepOf(steps, 'files', n.host))
    .map((n) => ({
      id: `ssh ${n.host}`,
      what: `SSH of ${n.host}, ${n.address}`,
      how: 'a connection to TCP port 22 from here',
      measure: async () => {
        await connects(ctx.dialer.exits, 'cluster', n.address, 22);
        return 'takes connections';
      },
    }));
}

/** Whether a hypervisor has the image, and the memory for those of the cluster's guests that do not run yet. */
function hypervisors({ ctx, plan, estate }: Measuring): Prerequisite[] {
  return [...new Set(plan.nodes.flatMap((n) => (n.guest ? [n.guest.hypervisor] : [])))].map((name) => ({
    id: `hypervisor ${name}`,
    what: `Hypervisor ${name}`,
    how: 'asked what it has: memory, images, guests',
    measure: async () => {
      const seen = await lookAtHypervisor(ctx, name);
      if (seen.error) throw new Error(seen.error);
      const mine = plan.nodes.filter((n) => n.guest?.hypervisor === name);
      const running = new Set(seen.guests.filter((g) => g.state === 'running').map((g) => g.name));
      const asked = mine.filter((n) => !running.has(n.host)).reduce((s, n) => s + n.facts.memoryGiB, 0);
      if (asked > seen.freeGiB)
        throw new Error(`${asked} GiB are asked for ${counted(mine.length, 'guest')}, ${seen.freeGiB} GiB are free`);
      const lacking = mine
        .map((n) => estate.moulds.find((m) => m.name === n.guest?.mould)?.image)
        .find((image) => image && !seen.images.includes(image));
      if (lacking) throw new Error(`it has no image ${lacking}`);
      return `answers, ${seen.freeGiB} GiB free, ${asked} GiB asked`;
    },
  }));
}

const serversOf = (plan: Plan) => [...new Set([...resolversOf(plan.site), ...resolversOf(plan.site, plan.network)])];
function resolvers({ ctx, plan }: Measuring): Prerequisite[] {
  return serversOf(plan).map((server) => ({
    id: `resolver ${server}`,
    what: `Resolver ${server}`,
    how: `asked for the name servers of ${plan.site?.domain ?? 'the domain'}`,
    measure: async () => {
      await lookup({ address: server, exits: ctx.dialer.exits, purpose: 'resolver' }, plan.site?.domain ?? '', 'NS');
      return 'answers';
    },
  }));
}

/** Names of the cluster lead to what is planned, or nowhere yet: never to somebody else. */
function names({ ctx, plan, estate }: Measuring): Prerequisite[] {
  const named = plan.reservations.filter((r) => r.name);
  return named.length
    ? serversOf(plan).map((server) => ({
        id: `names ${server}`,
        what: `Names at ${server} are free or ours`,
        how: `asked for ${counted(named.length, 'name')}, forward and back`,
        aside: true as const,
        measure: async () => {
          const at = { address: server, exits: ctx.dialer.exits, purpose: 'resolver' as const };
          const others: string[] = [];
          let there = 0;
          for (const r of named) {
            const type = r.address.includes(':') ? 'AAAA' : 'A';
            const found = await lookup(at, (r.name ?? '').replace(/^\*\./, 'proof.'), type);
            if (found.some((a) => a !== r.address)) others.push(`${r.name} is ${found.join(', ')}, planned ${r.address}`);
            else if (found.length) there++;
            if (r.name?.startsWith('*.')) continue;
            const back = await lookup(at, pointerName(r.address, estate.zones), 'PTR');
            if (back.some((n) => n !== r.name)) others.push(`${r.address} is called ${back.join(', ')}, planned ${r.name}`);
          }
          if (others.length)
            throw new Error(`${others.slice(0, 3).join('; ')}${others.length > 3 ? ` and ${others.length - 3} more` : ''}`);
          return there ? `${there} of ${named.length} lead there already, the rest nowhere` : 'all are free';
        },
      }))
    : [];
}

/** Certificates are refused, and members of etcd fall out, by clocks that are more than so far apart. */
const mostOffMs = 1000;
function time({ ctx, plan }: Measuring): Prerequisite[] {
  const servers = plan.charter.ntp ? serverList(plan.charter.ntp).servers : timeServersOf(plan.site, plan.network);
  return servers.map((server) => ({
    id: `time ${server}`,
    what: `Time server ${server}`,
    how: 'asked what time it is (SNTP), held against the clock of this server',
    aside: 'unless-wrong' as const,
    measure: async () => {
      let address = server;
      for (const r of isIp(server) ? [] : serversOf(plan)) {
        const [a] = await lookup({ address: r, exits: ctx.dialer.exits, purpose: 'resolver' }, server, 'A').catch(() => []);
        if (a) address = a;
      }
      if (!isIp(address)) throw new Error('no resolver of the site knows its address');
      const { offsetMs, stratum } = await askTime({ address, host: server, exits: ctx.dialer.exits });
      if (Math.abs(offsetMs) > mostOffMs)
        throw new MeasuredWrong(
          `it is ${(Math.abs(offsetMs) / 1000).toFixed(1)} s ${offsetMs > 0 ? 'ahead of' : 'behind'} the clock here. Certificates made here would not hold at hosts that follow it: set the clock of one of the two`,
        );
      return `answers, ${Math.round(Math.abs(offsetMs))} ms apart, stratum ${stratum}`;
    },
  }));
}

function mirror({ ctx, plan, signal }: Measuring): Prerequisite[] {
  const { mirror: m } = plan;
  return m
    ? [
        {
          id: 'mirror',
          what: `Mirror ${m.endpoint}`,
          how: 'logged in to: its certificate, its name, the credential',
          measure: async () => {
            const r = await openRegistry(ctx, m, signal);
            ctx.dialer.forget(targetOf(r).host);
            await ping(r);
            return 'answers, certificate and credentials good';
          },
        },
      ]
    : [];
}

function images({ ctx, plan, estate }: Measuring): Prerequisite[] {
  const { mirror: m } = plan;
  return m
    ? [
        {
          id: 'images',
          what: 'Images are at the mirror',
          how: 'every layer and manifest of the bill asked for by its digest',
          last: true,
          measure: async () => {
            const bills = plan.images.names.flatMap((n) => estate.observed.bills[n] ?? []);
            const lack = missing(bills, heldBy(await lookAt(ctx, m.name), m));
            if (lack.images.length)
              throw new Error(
                `${counted(lack.blobs, 'layer')} of ${counted(lack.images.length, 'image')} missing at ${m.endpoint} under their names`,
              );
            return `${plan.images.blobs} of ${plan.images.blobs} layers are there`;
          },
        },
      ]
    : [];
}

function system({ ctx, plan, estate, signal }: Measuring): Prerequisite[] {
  if (!plan.mirror || !plan.nodes.some((n) => n.bmc)) return [];
  const all = startedBy(plan);
  // Where machines start one alone, its lines go without its name.
  const which = (s: Started) => (all.length > 1 ? ` ${s.system} ${s.arch}` : '');
  const program = (started: Started | undefined): Prerequisite => ({
    id: `boot program${started ? which(started) : ''}`,
    what: `Boot program${started && all.length > 1 ? ` of ${started.system}, ${started.arch}` : ''}`,
    how: 'made from the release’s stub, kernel and initial file system, as firmware will load it',
    last: true,
    measure: async () => {
      const { size } = await bootProgram(ctx, plan, estate, started, '', signal);
      return `${bytesText(size)} for firmware, made of the release's stub, kernel and initial file system`;
    },
  });
  if (!all.length) return [program(undefined)];
  return all.flatMap((started): Prerequisite[] => [
    program(started),
    {
      id: `system${which(started)}`,
      what: `${all.length > 1 ? `${started.system}, ${started.arch},` : 'The system'} has what the kit asks`,
      how: 'its list of packages and files, against what the kit and the charter ask',
      last: true,
      measure: async () => {
        const s = await systemLacks(ctx, plan, estate, started, signal);
        if (!s) return 'its contents are not told: whether it has what the kit asks shows at the first boot';
        if (s.lacks.length) throw new Error(`${started.system} of release ${plan.charter.release} has ${s.lacks.join('; ')}`);
        return `${counted(s.packages, 'package')}; it has what the kit asks`;
      },
    },
  ]);
}

function kit({ ctx, plan, estate, signal }: Measuring): Prerequisite[] {
  if (!ctx.config.publicUrl.startsWith('https:')) return [];
  const byPxe = plan.nodes.filter((n) => estate.hosts.find((h) => h.name === n.host)?.bmc?.boot === 'pxe').map((n) => n.host);
  return [
    {
      id: 'kit',
      what: `Kit at ${ctx.config.publicUrl}`,
      how: 'fetched from here over TLS, by the authority that hosts are given',
      measure: () => askOverTls(ctx, signal),
    },
    ...(byPxe.length
      ? [
          {
            id: 'pxe',
            what: 'PXE over TLS',
            how: 'from the plan',
            measure: () =>
              Promise.reject(
                new Error(
                  `${byPxe.join(', ')} ${byPxe.length === 1 ? 'starts' : 'start'} by PXE, and Debian's iPXE takes no authority of ours: it loads nothing over TLS; let them start over HTTP or from virtual media`,
                ),
              ),
          },
        ]
      : []),
  ];
}

/** Ports that something that is in the way most likely answers at: a log-in, a page, another API. */
const tellTale = (api: number): readonly number[] => [...new Set([22, 443, 6443, api])];
/** The virtual addresses belong to nobody yet. Others of the plan are not connected to from here. */
function addresses({ ctx, plan, estate }: Measuring): Prerequisite[] {
  const stands = estate.hosts.some((h) => h.held?.charter === plan.charter.name && h.state === 'serving');
  return (['api', 'inbound'] as const)
    .filter((use) => plan[use].address && !stands)
    .map((use) => ({
      id: `silent ${use}`,
      what: `${use === 'api' ? 'API' : 'Inbound'} address ${plan[use].address} is silent`,
      how: `connections to ports ${tellTale(plan.api.port).join(', ')} from here; what answers to ARP alone is not seen`,
      aside: true as const,
      measure: async () => {
        const found = await Promise.all(
          tellTale(plan.api.port).map((port) =>
            connects(ctx.dialer.exits, 'cluster', plan[use].address, port, 800).then(
              () => port,
              () => undefined,
            ),
          ),
        );
        const open = found.filter((p) => p !== undefined);
        if (open.length) throw new Error(`somebody takes connections at port ${open.join(', ')}`);
        return 'nobody takes connections there';
      },
    }));
}

/** What nothing here can measure before a host runs. */
function byHand(m: Measuring): Prerequisite[] {
  const { plan } = m;
  const metal = touched(m).filter((n) => !n.guest);
  return [
    ...(metal.length
      ? [
          {
            id: 'disks',
            what: `Disks of ${counted(metal.length, 'host')} are empty, or may be erased`,
            how: 'no controller tells what a disk holds; the first boot looks again, and stops at one that holds anything',
            aside: true as const,
          },
          {
            id: 'vlan',
            what: `Switch ports carry ${plan.network?.vlan ? `VLAN ${plan.network.vlan}` : 'the machine network'}`,
            how: 'before it has a system no host can try it; where a controller tells VLANs, the fitness of the host has them',
            aside: true as const,
          },
        ]
      : []),
    {
      id: 'console',
      what: 'Passwords of controllers follow the house rules',
      how: 'the keyring shows no password to anybody, so that no rule can be held against it',
      aside: true as const,
    },
  ];
}
