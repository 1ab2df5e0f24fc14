import type { Measured } from '@praesidor/contract';
import type { Trace } from '@praesidor/core/reach';

/** In what a measured path is otherwise than the computed one, a sentence each; none: they agree. */
export function differs(m: Measured, { forward, back }: Pick<Trace, 'forward' | 'back'>): string[] {
  const out: string[] = [];
  const computed = !forward.stop && !back.stop;
  if (m.answered && !computed)
    out.push(
      `By the plan the path above stops: ${m.from ? m.from.host : 'this server'} has another way, or something stands that is not declared.`,
    );
  if (!m.answered && computed) out.push('By the plan it is reached: it is not up, or something on the way is not as declared.');
  const first = forward.hops[0];
  if (m.from && first) {
    // To a service or a pod the first hop is the router's, or nobody's.
    const planned = first.next ?? null;
    if (planned !== m.from.via)
      out.push(
        `${m.from.host} sends it ${m.from.via ? `over ${m.from.via}` : 'straight to its link'}; by the plan ${planned ? `over ${planned}` : 'the address is on its link'}.`,
      );
    if (m.from.mtu !== null && m.from.mtu < first.mtu)
      out.push(
        `${m.from.link ?? 'Its link'} of ${m.from.host} carries ${m.from.mtu.toLocaleString('en')} bytes; by the plan ${first.mtu.toLocaleString('en')}.`,
      );
  }
  if (m.pathMtu !== null && forward.mtu !== undefined && m.pathMtu < forward.mtu)
    out.push(`By the plan ${forward.mtu.toLocaleString('en')} bytes pass: a link on the way carries less.`);
  return out;
}
