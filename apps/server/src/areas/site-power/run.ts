import { setTimeout as pause } from 'node:timers/promises';
import { serverList } from '@praesidor/core/address';
import type { Estate } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { lookup } from '@praesidor/protocols/dns';
import { clusterSeen } from '@praesidor/protocols/kube';
import { askTime } from '@praesidor/protocols/ntp';
import { ping } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import type { RunRow } from '../../db/tables.ts';
import { StepFailure } from '../../engine/failure.ts';
import type { RunKind, StepTools } from '../../engine/kind.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { openCluster } from '../builds/open-cluster.ts';
import { powered } from '../hosts/machine.ts';
import { openRegistry } from '../images/registries.ts';

/** A site is started after a loss of power, or its hosts are shut down, in the order that was computed. */
export const powerRun: RunKind = {
  kind: 'power',
  act: 'sites.power',
  noun: 'the start or stop of a site',
  called: (run) => run.title,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run) => ({
    perform: (tools) => {
      const carriesOut = acts[tools.step.kind];
      if (!carriesOut) throw new Error(`no step of a site: ${tools.step.kind}`);
      return carriesOut(ctx, run, tools);
    },
  }),
};
const acts: Partial<Record<StepTools['step']['kind'], (ctx: Context, run: RunRow, tools: StepTools) => Promise<string>>> = {
  on,
  off,
  answers,
};

async function machineOf(ctx: Context, { step, signal }: StepTools) {
  const host = step.host ?? '';
  const machine = await powered(ctx, needIn(await estateNow(ctx.db), 'Host', host), signal);
  if (!machine)
    throw new StepFailure(`Nobody switches ${host} from here: it has no controller.`, 'Do it in the room, then resume.');
  return { host, machine };
}

async function on(ctx: Context, _run: RunRow, tools: StepTools): Promise<string> {
  const { host, machine } = await machineOf(ctx, tools);
  if (await machine.on()) return `${host} has power`;
  await machine.restart();
  await until(
    tools,
    async () => (await machine.on()) || undefined,
    async () => `${host} does not go on.`,
    'See its console, then resume.',
  );
  return `${host} was switched on`;
}

/** Shut down, and never cut: whoever wants that does it at the host. */
async function off(ctx: Context, _run: RunRow, tools: StepTools): Promise<string> {
  const { host, machine } = await machineOf(ctx, tools);
  if (!(await machine.on())) return `${host} is off`;
  await machine.shutDown();
  await until(
    tools,
    async () => (await machine.on()) === false || undefined,
    async () => `${host} was asked to shut down, and is still on.`,
    'See its console, or cut its power on its page; then resume.',
  );
  return `${host} has shut down`;
}

/** Asked until it answers. */
async function answers(ctx: Context, run: RunRow, tools: StepTools): Promise<string> {
  const [, id = ''] = /^answers\/(.*)$/.exec(tools.step.id) ?? [];
  const kind = id.split(' ')[0] ?? '';
  const name = id.slice(kind.length + 1);
  let why = 'nothing was asked yet';
  return until(
    tools,
    async () => {
      try {
        return await asks[kind]?.(ctx, await estateNow(ctx.db), name, run.subject, tools.signal);
      } catch (e) {
        why = (e as Error).message;
        return undefined;
      }
    },
    async () => `${tools.step.lane} does not answer: ${why}.`,
    'See to it in the room, then resume.',
  );
}

type Ask = (ctx: Context, estate: Estate, name: string, site: string, signal: AbortSignal) => Promise<string | undefined>;
/** How each kind of part shows that it is up. @throws with why it does not answer */
const asks: Record<string, Ask> = {
  names: async (ctx, estate, name) => {
    const { servers, domain } = servedAt(estate, name, 'resolvers');
    return first(servers, async (address) => {
      await lookup({ address, exits: ctx.dialer.exits, purpose: 'resolver' }, domain, 'NS');
      return `${address} answers`;
    });
  },
  time: async (ctx, estate, name) =>
    first(servedAt(estate, name, 'ntp').servers, async (address) => {
      const { stratum } = await askTime({ address, host: address, exits: ctx.dialer.exits });
      return `${address} tells the time, stratum ${stratum}`;
    }),
  registry: async (ctx, estate, name, _site, signal) => {
    await ping(await openRegistry(ctx, needIn(estate, 'Registry', name), signal));
    return `${name} answers`;
  },
  'control-plane': async (ctx, estate, name) => {
    const { nodes } = await clusterSeen(await apiOf(ctx, estate, name));
    return `the API of ${name} answers: ${counted(nodes.length, 'node')}`;
  },
  nodes: async (ctx, estate, name) => {
    const { nodes } = await clusterSeen(await apiOf(ctx, estate, name));
    const missing = nodes.filter((n) => !n.ready).map((n) => n.name);
    if (missing.length) throw new Error(`${missing.join(', ')} ${missing.length === 1 ? 'is' : 'are'} not ready`);
    return `${counted(nodes.length, 'node')} of ${name} ready`;
  },
};

/** Who serves names or time: to a network, or to a site. */
function servedAt(estate: Estate, name: string, field: 'resolvers' | 'ntp') {
  const network = estate.networks.find((n) => n.name === name);
  const site = estate.sites.find((s) => s.name === (network?.site ?? name));
  const servers = (of: string | readonly string[] | undefined) => serverList(of ?? []).servers;
  return { servers: network ? servers(network[field]) : servers(site?.[field]), domain: site?.domain ?? '' };
}
/** The first of several that answers. @throws with why the last does not */
async function first(servers: readonly string[], ask: (address: string) => Promise<string>): Promise<string> {
  let last: unknown = new Error('nobody is declared');
  for (const s of servers)
    try {
      return await ask(s);
    } catch (e) {
      last = e;
    }
  throw last;
}
const apiOf = async (ctx: Context, estate: Estate, name: string) => (await openCluster(ctx, estate, name, false)).kube;

/** Asks until there is an answer. @throws StepFailure after half an hour */
async function until<T>(
  { signal }: StepTools,
  ask: () => Promise<T | undefined>,
  otherwise: () => Promise<string>,
  remedy: string,
): Promise<T> {
  const end = Date.now() + 1_800_000;
  for (;;) {
    const found = await ask();
    if (found !== undefined) return found;
    if (Date.now() > end) throw new StepFailure(await otherwise(), remedy);
    await pause(1000, undefined, { signal });
  }
}
