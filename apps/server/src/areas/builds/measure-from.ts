import type { Plan } from '@praesidor/core/charter';
import { hasServerAccount } from '@praesidor/core/charter';
import type { Estate, Host } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { runOver } from '@praesidor/protocols/ssh';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';
import { kitOf } from './kit-of-build.ts';
import { standing } from './proofs.ts';
import { tarOf } from '../../tar-of.ts';
import { accountOn } from './steps/files.ts';

/** How a host of a cluster gets to an address, as its kernel and a connection say. */
export interface FromHost {
  host: string;
  /** The router that it sends to; null: the address is on its link. */
  via: string | null;
  /** The interface that it sends out of, and the largest packet that this carries. */
  link: string | null;
  mtu: number | null;
  /** The largest packet that came to the address whole; null: probes are not answered. */
  pathMtu: number | null;
  answered: boolean;
  ms: number;
  why: string | null;
}

/** What curl says with its exit status (curl(1)), as far as a connection that is only opened can end so. */
const ends: Record<number, string> = {
  6: 'it does not know the address',
  7: 'refused, or no way there',
  28: 'no answer within 3 s',
};

/**
 * Measures from a host that serves, over SSH, by the account that its kit gave it. Nothing is sent on the connection. @throws Refusal where it does not serve, has no such
 * account, or does not let the server in
 */
export async function measureFrom(ctx: Context, estate: Estate, from: Host, address: string, port: number): Promise<FromHost> {
  const charter = from.held?.charter ?? '';
  const [b] = from.state === 'serving' ? await standing(ctx, estate, charter) : [];
  const plan = b?.plan as Plan | undefined;
  const node = plan?.nodes.find((n) => n.host === from.name);
  if (!b || !plan || !node)
    throw new Refusal('not-now', `${from.name} is not a host of a cluster that stands.`, {
      remedy: 'Paths are measured from hosts that serve, and from this server.',
    });
  if (!hasServerAccount(plan.charter))
    throw new Refusal(
      'not-now',
      `${from.name} has no account for this server: certificates of ${charter} come by starting hosts anew.`,
      {
        remedy: 'Measure from this server.',
      },
    );
  const bytes = await tarOf([{ name: 'reach', content: `${address} ${port}\n`, mode: '0644' }]);
  const lines: string[] = [];
  const at = accountOn(ctx, await kitOf(ctx, b, estate), node);
  try {
    const ended = await runOver(at, 'reach', bytes, { line: (l) => lines.push(l), silentMs: 20_000 });
    if (ended.code !== 0)
      throw new Refusal(
        'not-now',
        `${from.name} did not measure it: ${ended.errors || `it ended with ${ended.code ?? 'a signal'}`}`,
        {
          remedy: /no files came/.test(ended.errors)
            ? 'Its kit is of an earlier version: apply changes to its cluster first.'
            : 'Try again in a moment.',
        },
      );
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    throw new Refusal('not-now', `${from.name} was not asked: ${e.message}`, { remedy: 'Measure from this server.' });
  }
  return { host: from.name, ...read(lines) };
}

/** What the program wrote: the way (ip-route(8), `route get`), the MTU of the link, how the connection ended, and which size came through whole. */
export function read(lines: readonly string[]): Omit<FromHost, 'host'> {
  const after = (word: string) => lines.find((l) => l.startsWith(`${word} `))?.slice(word.length + 1) ?? '';
  const way = after('way');
  const [, code = '1', took = '0'] = /^(\d+) ([\d.]+)$/.exec(after('tcp')) ?? [];
  const seconds = Number(took);
  const answered = seconds > 0;
  return {
    via: / via (?:inet6? )?([0-9a-f.:]+)/.exec(way)?.[1] ?? null,
    link: / dev (\S+)/.exec(way)?.[1] ?? null,
    mtu: Number(after('mtu')) || null,
    pathMtu: Number(after('pmtu')) || null,
    answered,
    ms: seconds * 1000,
    why: answered ? null : way ? (ends[Number(code)] ?? `curl ended with ${code}`) : 'it has no route there',
  };
}
