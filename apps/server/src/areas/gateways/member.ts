import { gatewayFiles, interfaceIn, loginAt } from '@praesidor/core/files';
import { serverAccount } from '@praesidor/core/charter';
import type { Estate, Gateway } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { runOver, type SshAt } from '@praesidor/protocols/ssh';
import type { Context } from '../../context.ts';
import { StepFailure } from '../../engine/failure.ts';
import { tarOf } from '../../tar-of.ts';
import { busy } from '../builds/steps/files.ts';
import { gatewayKey } from './key.ts';

type Member = Gateway['members'][number];

/** How the server enters a member. @throws StepFailure where no log-in is declared */
async function entry(ctx: Context, m: Member): Promise<SshAt> {
  if (!m.login) throw new StepFailure(`No log-in is declared for ${m.name}.`, 'Declare it, or carry the files there by hand.');
  const { private: key } = await gatewayKey(ctx.config, ctx.db.manager);
  return {
    exits: ctx.dialer.exits,
    purpose: 'gateway',
    host: m.name,
    address: loginAt(m),
    port: m.login.port ?? 22,
    user: serverAccount,
    key,
    hostKey: m.login.hostKey,
    patienceMs: Math.min(8000, ctx.config.timeoutSeconds * 1000),
  };
}

/** What the program of a member is asked to do. */
export type Asked = 'judge' | 'apply' | 'state';

/** Asks a member: it is given its files, and tells line by line what it does. @throws StepFailure with what it says where it does not do it */
export async function askMember(
  ctx: Context,
  estate: Estate,
  gateway: Gateway,
  member: Member,
  asked: Asked,
  signal: AbortSignal,
): Promise<string[]> {
  const files = asked === 'state' ? [] : gatewayFiles(estate, gateway).filter((f) => f.member === member.name);
  const bytes = await tarOf([
    { name: 'do', content: `${asked}\n`, mode: '0644' },
    { name: 'interfaces', content: member.interfaces.map((f) => `${interfaceIn(member, f.network)}\n`).join(''), mode: '0644' },
    ...files.map((f) => ({ name: `root${f.path}`, content: f.text, mode: '0644' })),
  ]);
  const end = Date.now() + ctx.config.timeoutSeconds * 1000;
  try {
    const at = await entry(ctx, member);
    let lines: string[] = [];
    let ended = await runOver(at, asked, bytes, { line: (l) => lines.push(l), signal });
    // Somebody is at it: another of this installation's own askings, perhaps, whose connection was lost. It is waited for.
    while (ended.code === busy && Date.now() < end) {
      await ctx.bus.next(() => false, 500, signal);
      signal.throwIfAborted();
      lines = [];
      ended = await runOver(at, asked, bytes, { line: (l) => lines.push(l), signal });
    }
    if (ended.code === 0) return lines;
    throw new StepFailure(
      `${member.name}: ${ended.errors || `its program ended with ${ended.code ?? 'a signal'}`}`,
      ended.code === 1 && /not found|No such file/.test(ended.errors)
        ? 'Put the account and its program there first, then resume.'
        : 'Mend what it says, then resume: nothing else was changed there.',
    );
  } catch (e) {
    if (!(e instanceof ProtocolError) || e.fault === 'cancelled') throw e;
    throw new StepFailure(
      e.message,
      e.fault === 'credentials'
        ? 'Put the line of this server into authorized_keys of its account there, then resume.'
        : e.fault === 'pin'
          ? 'See which machine has this address; if it is right, declare its host key, then resume.'
          : 'Look whether it runs, and whether this server reaches its TCP port 22, then resume.',
    );
  }
}
