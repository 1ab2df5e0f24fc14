import { resolversOf } from '@praesidor/core/naming';
import { connects } from '@praesidor/protocols/dial';
import { lookup } from '@praesidor/protocols/dns';
import { needDoc } from '../../../estate/documents.ts';
import { powered } from '../../hosts/machine.ts';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';
import { allOf, line, type Proof } from '../measures.ts';

/** Measures that nothing of a cluster is left outside of its drives. Every line keeps what it saw. */
export const gone: StepRunner = {
  kind: 'gone',
  run: async (s) => {
    const lines = [await hosts(s), ...(await drives(s)), await address(s), ...(await names(s))];
    for (const p of lines)
      await s.log(`${p.good ? 'holds' : 'FAILS'}: ${p.what}: planned ${p.planned}, found ${p.found}`, p.good ? 'info' : 'warn');
    await s.ctx.db.manager.query('update build set proof = $2 where id = $1', [s.build.id, JSON.stringify(lines)]);
    const bad = lines.filter((l) => !l.good);
    if (bad.length)
      throw new StepFailure(
        `left over: ${bad.map((b) => `${b.what} (planned ${b.planned}, found ${b.found})`).join('; ')}`,
        'Take away what is left, then resume: everything is measured again.',
      );
    return `${lines.length} of ${lines.length} hold`;
  },
};

async function hosts({ ctx, build, estate, signal }: StepContext): Promise<Proof> {
  const evidence: string[] = [];
  let good = 0;
  for (const name of build.moves.leaves) {
    const host = estate.hosts.find((h) => h.name === name);
    const said = build.decided.off?.includes(name);
    const machine = host && !said ? await powered(ctx, host, signal).catch(() => undefined) : undefined;
    const on = said ? false : await machine?.on().catch(() => undefined);
    if (on === false) good++;
    evidence.push(`${name}: ${said ? 'off, as somebody said' : on === undefined ? 'not known' : on ? 'on' : 'off'}`);
  }
  return allOf('hosts are off', good, build.moves.leaves.length, evidence);
}

/** Of hosts that were given back: every one has its proof. */
async function drives({ ctx, build }: StepContext): Promise<Proof[]> {
  const given = build.steps.flatMap((x) => (x.kind === 'wipe' && x.host ? [x.host] : []));
  if (!given.length) return [];
  const evidence: string[] = [];
  let good = 0;
  for (const name of given) {
    const { doc } = await needDoc(ctx.db.manager, 'Host', name);
    if (doc.state !== 'resting' && doc.wiped) good++;
    evidence.push(`${name}: ${doc.wiped && doc.state !== 'resting' ? doc.wiped.drives.join('; ') : 'rests, and is not wiped'}`);
  }
  return [allOf('drives are erased', good, given.length, evidence)];
}

async function address({ ctx, plan }: StepContext): Promise<Proof> {
  const { address: at, port } = plan.api;
  const found = await connects(ctx.dialer.exits, 'cluster', at, port, 1500).then(
    () => 'takes connections',
    () => 'silent',
  );
  return line('API address', 'silent', found, [`TCP ${at}:${port}`]);
}

/** Names of the cluster itself, at every resolver of its site: those of hosts follow when these are wiped. */
async function names({ ctx, plan }: StepContext): Promise<Proof[]> {
  const servers = [...new Set([...resolversOf(plan.site), ...resolversOf(plan.site, plan.network)])];
  const own = plan.reservations.filter((r) => r.name && !r.owner.use?.startsWith('node '));
  if (!servers.length || !own.length) return [];
  const evidence: string[] = [];
  let nowhere = 0;
  for (const server of servers)
    for (const r of own) {
      const name = (r.name ?? '').replace(/^\*\./, 'proof.');
      const type = r.address.includes(':') ? 'AAAA' : 'A';
      const found = await lookup({ address: server, exits: ctx.dialer.exits, purpose: 'resolver' }, name, type);
      if (!found.length) nowhere++;
      evidence.push(`${server}: ${name} ${type} → ${found.join(', ') || 'nothing'}`);
    }
  return [allOf('names of the cluster lead nowhere', nowhere, servers.length * own.length, evidence)];
}
