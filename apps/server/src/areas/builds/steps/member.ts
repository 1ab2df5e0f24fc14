import { type EtcdAt, etcdMembers, removeEtcdMember } from '@praesidor/protocols/etcd';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';

/** Members that can be asked: those of the plan that stand and do not leave, in their order. */
export const askable = ({ plan, build, step, etcd }: StepContext): EtcdAt[] =>
  plan.nodes
    .filter((n) => n.role === 'control-plane' && n.host !== step.host)
    .filter((n) => [...build.moves.stands, ...build.moves.joins, ...build.moves.leaves].includes(n.host))
    .map(etcd);

/** The first that answers. A member that does not is logged, and the next one asked. */
export async function first<T>(s: StepContext, ask: (at: EtcdAt) => Promise<T>): Promise<T> {
  let why = 'no member of the plan stands';
  for (const at of askable(s)) {
    try {
      return await ask(at);
    } catch (e) {
      why = (e as Error).message;
      await s.log(why, 'warn');
    }
  }
  throw new StepFailure(`etcd does not answer: ${why}`, 'See that most of its members run, then resume.');
}

/** Takes the member of a host out of etcd. etcd refuses it while too few of the others have started: it is asked again. */
export const member: StepRunner = {
  kind: 'member',
  run: async (s) => {
    const host = s.step.host ?? '';
    let why = '';
    return s.until(
      async () => {
        try {
          return await first(s, async (at) => {
            const members = await etcdMembers(at);
            const own = members.find((m) => m.name === host);
            if (!own) return `etcd has no member ${host}`;
            await removeEtcdMember(at, own.id);
            return `taken out: ${members.length - 1} of ${members.length} members are left`;
          });
        } catch (e) {
          why = (e as Error).message;
          return undefined;
        }
      },
      () => `${host} stays a member of etcd: ${why}`,
    );
  },
};
