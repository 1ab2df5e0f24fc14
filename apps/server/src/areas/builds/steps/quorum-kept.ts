import { notDrained } from '@praesidor/core/schedule';
import { etcdMembers } from '@praesidor/protocols/etcd';
import { type StepContext, StepFailure } from '../step.ts';

/**
 * Most of the members of etcd must answer when this one is away, whatever was decided about its pods. One that has just been started anew may take a moment. Where none of
 * the others answers there is no majority to lose: then it is for somebody to decide.
 */
export async function keepsQuorum(s: StepContext, host: string): Promise<void> {
  const members = s.plan.nodes.filter((n) => n.role === 'control-plane' && s.build.moves.stands.includes(n.host));
  const others = members.filter((n) => n.host !== host);
  // Who leaves is taken out of etcd, which itself sees to its majority.
  if (!others.length || others.length === members.length) return;
  let silent: string[] = [];
  const said = new Set<string>();
  const majority = Math.floor(members.length / 2) + 1;
  const decided = s.build.decided.undrained?.includes(host);
  await s
    .until(
      async () => {
        const answers = await Promise.all(
          others.map((n) =>
            etcdMembers(s.etcd(n)).then(
              () => undefined,
              async (e: Error) => {
                if (!said.has(n.host)) await s.log(e.message, 'warn');
                said.add(n.host);
                return n.host;
              },
            ),
          ),
        );
        silent = answers.flatMap((h) => h ?? []);
        return others.length - silent.length >= majority || (decided && silent.length === others.length) ? true : undefined;
      },
      () =>
        `etcd would lose its majority without ${host}: ${silent.join(' and ')} ${silent.length > 1 ? 'do' : 'does'} not answer, and ${majority} of ${members.length} must`,
    )
    .catch((e: unknown) => {
      if (!(e instanceof StepFailure)) throw e;
      throw silent.length === others.length
        ? new StepFailure(
            e.message,
            'Bring back the members that do not answer, then resume; or go on without draining.',
            notDrained,
          )
        : new StepFailure(e.message, 'Bring back the members that do not answer, then resume.');
    });
}
