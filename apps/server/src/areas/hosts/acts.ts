import { doTo, type HostAct, rules } from '@praesidor/core/hosts';
import type { Principal } from '@praesidor/core/access';
import type { Edit, Host } from '@praesidor/core/model';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { changePlan } from '../../estate/change.ts';
import { needDoc } from '../../estate/documents.ts';
import { Refusal } from '../../refusal.ts';
import { stateAsk } from './facts.ts';

/** What people may do to the state of hosts; the rest is done by builds, readings and wipes. */
export const peoplesActs = ['drain', 'undrain', 'give-back', 'let-go', 'retire', 'bring-back'] as const satisfies HostAct[];

export interface Outcome {
  host: string;
  state?: string;
  refused?: string;
}

/** One act on many hosts, each by itself: one that is refused keeps nobody from the others. Undone as one. */
export async function actOn(
  ctx: Context,
  act: (typeof peoplesActs)[number],
  names: readonly string[],
  who: Principal,
): Promise<{ outcomes: Outcome[]; act: number | undefined }> {
  return ctx.db.transaction(async (m) => {
    const outcomes: Outcome[] = [];
    const edits: Edit[] = [];
    for (const name of new Set(names)) {
      try {
        const { doc } = await needDoc(m, 'Host', name);
        const step = doTo(doc, act, await stateAsk(m, doc));
        const left = 'refused' in step ? undefined : await lastOf(m, doc, act, names);
        if ('refused' in step || left) {
          outcomes.push({ host: name, refused: 'refused' in step ? step.refused : (left as string) });
          continue;
        }
        edits.push({ op: 'put', doc: step.host });
        outcomes.push({ host: name, state: step.to });
      } catch (e) {
        if (!(e instanceof Refusal)) throw e;
        outcomes.push({ host: name, refused: e.message });
      }
    }
    if (!edits.length) return { outcomes, act: undefined };
    const label = rules.find((r) => r.act === act)?.label.toLowerCase() ?? act;
    const changes = await changePlan(m, who, edits, { act: 'hosts.state', via: 'act', note: label });
    const done = outcomes.flatMap((o) => (o.refused ? [] : [o.host]));
    return {
      outcomes,
      act: await record(m, who.login, `${label}: hosts`, done.join(' '), { hosts: done }, changes, 'hosts.state'),
    };
  });
}

/** A control plane that serves keeps its majority, unless the whole cluster is given back together. */
async function lastOf(
  m: { query: (sql: string, values: unknown[]) => Promise<unknown> },
  host: Host,
  act: HostAct,
  together: readonly string[],
): Promise<string | undefined> {
  if (!['drain', 'give-back'].includes(act) || host.held?.role !== 'control-plane' || host.state !== 'serving') return undefined;
  const rows = (await m.query(
    "select key, coalesce((doc->>'drained')::boolean, false) as drained from host_state where held_by = $1 and doc->'held'->>'role' = 'control-plane'",
    [host.held.charter],
  )) as { key: string; drained: boolean }[];
  const all = (await m.query('select key from host_state where held_by = $1', [host.held.charter])) as {
    key: string;
  }[];
  if (all.every((r) => together.includes(r.key))) return undefined;
  const going = rows.filter((r) => together.includes(r.key) || r.drained).length;
  const majority = Math.floor(rows.length / 2) + 1;
  return rows.length - going < majority
    ? `${host.held.charter} would keep ${rows.length - going} of ${rows.length} control-plane hosts and lose its quorum of ${majority}`
    : undefined;
}
