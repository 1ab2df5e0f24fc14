import type { Gateway } from '../model/documents.ts';
import type { Known } from '../schedule/estimate.ts';
import type { Step } from '../schedule/steps.ts';

/** Members in the order in which they are set up: who stands by first, who leads last. */
export const setUpOrder = (g: Gateway): Gateway['members'] => {
  const leads = (name: string) => g.addresses.filter((a) => a.leads === name).length;
  return [...g.members].sort((a, b) => leads(a.name) - leads(b.name) || a.priority - b.priority || (a.name < b.name ? -1 : 1));
};

/**
 * How a gateway is set up: the files of every member are judged by the programs that read them before any member is touched; then one member after the other, each looked at
 * before the next one; at the end every moving address is at one member.
 */
export function gatewaySteps(g: Gateway, known: Known): Step[] {
  const order = setUpOrder(g);
  const step = (
    id: string,
    lane: string,
    kind: 'judge' | 'set-up' | 'holds',
    title: string,
    after: string[],
    host?: string,
  ): Step => ({
    id,
    lane,
    kind,
    title,
    after,
    ...known(kind),
    ...(host ? { host } : {}),
  });
  const judged = order.map((m) => step(`${m.name}/judge`, m.name, 'judge', 'check files', [], m.name));
  const out = [...judged];
  let before = judged.map((s) => s.id);
  for (const m of order) {
    out.push(step(`${m.name}/set-up`, m.name, 'set-up', 'put in force', before, m.name));
    out.push(step(`${m.name}/holds`, m.name, 'holds', 'look at it', [`${m.name}/set-up`], m.name));
    before = [`${m.name}/holds`];
  }
  out.push(step('holds', g.name, 'holds', 'addresses', before));
  return out;
}

/** What a member says of itself, a line each: `bgp NAME STATE`, `address INTERFACE ADDRESS/LENGTH`, `route …` (ip-route(8)). */
export interface MemberState {
  sessions: { name: string; state: string }[];
  addresses: string[];
  routes: { to: string; via: string }[];
}
export function memberState(lines: readonly string[]): MemberState {
  const words = lines.map((l) => l.trim().split(/\s+/));
  return {
    sessions: words.flatMap(([is, name = '', state = '']) => (is === 'bgp' ? [{ name, state }] : [])),
    addresses: words.flatMap(([is, , address = '']) => (is === 'address' ? [address.split('/')[0] ?? ''] : [])),
    routes: words.flatMap(([is, to = '', ...rest]) => {
      // Of several equal ways each is written: the words behind `via` are next hops.
      const vias = rest.flatMap((w, i) => (w === 'via' ? [rest[i + 1] ?? ''] : []));
      const prefix = to === 'default' ? (vias[0]?.includes(':') ? '::/0' : '0.0.0.0/0') : to;
      return is === 'route' ? vias.map((via) => ({ to: prefix, via })) : [];
    }),
  };
}

/** What a member lacks of what it was set up with, in words; none: it is well with it. */
export function memberLacks(g: Gateway, member: Gateway['members'][number], now: MemberState): string[] {
  const lacks: string[] = [];
  for (const r of [...g.routes, ...member.routes.filter((x) => !g.routes.some((y) => y.to === x.to))])
    if (!now.routes.some((x) => sameWay(x.to, r.to) && x.via === r.via)) lacks.push(`no route to ${r.to} over ${r.via}`);
  (g.bgp?.peers ?? []).forEach((p, i) => {
    const state = now.sessions.find((s) => s.name === `peer_${i + 1}`)?.state;
    if (state !== 'Established') lacks.push(`no session with ${p.address}${state ? `, it is ${state}` : ''}`);
  });
  return lacks;
}
/** A prefix of one address is written without its length. */
const sameWay = (shown: string, declared: string): boolean =>
  shown === declared || (/\/(32|128)$/.test(declared) && shown === declared.split('/')[0]);

/** Moving addresses that are not at one member, in words, by what each member says of itself; none: all of them are. */
export const wanderers = (g: Gateway, states: ReadonlyMap<string, MemberState>): string[] =>
  g.addresses.flatMap((a) => {
    const at = [...states].filter(([, s]) => s.addresses.includes(a.address)).map(([name]) => name);
    return at.length === 1 ? [] : [`${a.address} is at ${at.length ? at.join(' and ') : 'no member'}`];
  });
