import { memberLacks, memberState, type MemberState, wanderers } from '@praesidor/core/changes';
import type { Gateway } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { StepFailure } from '../../engine/failure.ts';
import type { RunKind, StepTools } from '../../engine/kind.ts';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { askMember, type Asked } from './member.ts';

/** The setting up of a gateway, as the engine carries it out: its members one after the other. */
export const setupRun: RunKind = {
  kind: 'gateway',
  act: 'gateways.set-up',
  noun: 'the setting up of a gateway',
  called: (run) => `the setting up of ${run.subject}`,
  recorded: (run) => ({ subject: run.subject, facts: {} }),
  open: async (ctx, run) => ({ perform: (tools) => perform(ctx, run.subject, tools) }),
};

async function perform(ctx: Context, name: string, { step, signal, log }: StepTools): Promise<string> {
  const estate = await estateNow(ctx.db);
  const gateway = needIn(estate, 'Gateway', name);
  const ask = (member: Gateway['members'][number], asked: Asked) => askMember(ctx, estate, gateway, member, asked, signal);
  const one = () => {
    const m = gateway.members.find((x) => x.name === step.host);
    if (!m) throw new StepFailure(`${name} has no member ${step.host} any more.`, 'Begin anew.');
    return m;
  };
  if (step.kind === 'judge' || step.kind === 'set-up') {
    const lines = await ask(one(), step.kind === 'judge' ? 'judge' : 'apply');
    for (const l of lines) await log(l);
    const differ = lines.filter((l) => !l.startsWith('same ') && l !== 'in force').length;
    return step.kind === 'judge'
      ? differ
        ? `${counted(differ, 'file')} to change`
        : 'as it is to be'
      : differ
        ? `${counted(differ, 'file')} in force`
        : 'nothing to change';
  }
  if (step.host) {
    const member = one();
    await lacksNothing(ctx, signal, log, async () => memberLacks(gateway, member, memberState(await ask(member, 'state'))));
    return 'routes and sessions are there';
  }
  await lacksNothing(ctx, signal, log, async () => {
    const states = new Map<string, MemberState>();
    for (const m of gateway.members) states.set(m.name, memberState(await ask(m, 'state')));
    return wanderers(gateway, states);
  });
  return gateway.addresses.length
    ? `${counted(gateway.addresses.length, 'address is', 'addresses are')} at one member each`
    : 'it has no moving addresses';
}

/** Asks again and again until nothing is lacking. @throws StepFailure with what is, after as long as a step waits */
async function lacksNothing(
  ctx: Context,
  signal: AbortSignal,
  log: StepTools['log'],
  ask: () => Promise<string[]>,
): Promise<void> {
  const end = Date.now() + Math.max(10, ctx.config.timeoutSeconds) * 1000;
  let said = '';
  for (;;) {
    const lacks = await ask();
    if (!lacks.length) return;
    const text = lacks.join('; ');
    if (text !== said) await log(text, 'warn');
    said = text;
    if (Date.now() > end)
      throw new StepFailure(
        `It is not well: ${text}.`,
        'Look at what it says there (birdc show protocols, ip route), then resume.',
      );
    await ctx.bus.next(() => false, 500, signal);
  }
}
