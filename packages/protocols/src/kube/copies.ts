import { kubeTold, type KubeAt, type KubeList } from './client.ts';

export const copyStates = ['current', 'filling', 'behind', 'silent', 'gone'] as const;
/**
 * A copy of a volume, as the driver of its cluster tells it. `current`: it has all that was written. `filling`: it takes in what it lacks. `behind`: it lacks something, and nobody who has it
 * can be reached. `silent`: its host does not answer. `gone`: it is not on its host any more.
 */
export interface CopySeen {
  /** The name of its PersistentVolume. */
  volume: string;
  host: string;
  state: (typeof copyStates)[number];
  /** For how long that has been so, by the clock of the cluster; milliseconds. */
  age: number;
  /** Since when, by that clock; milliseconds since 1970. */
  since: number;
  /** While it is filling: from which host, how much of how many bytes, and for how long about; milliseconds. */
  from?: string;
  filled?: number;
  of?: number;
  left?: number;
  /** Why it is not made anew. */
  why?: string;
}
interface Copy {
  spec: { volume: string; host: string };
  status?: { state?: string; since?: string; from?: string; filled?: number; of?: number; until?: string; message?: string };
}

/**
 * Copies of all volumes of a driver, which tells them as objects of its own group (`copies`, v1).
 *
 * @returns undefined: it tells none
 * @throws ProtocolError
 */
export async function copiesSeen(k: KubeAt, driver: string): Promise<CopySeen[] | undefined> {
  const { body, at } = await kubeTold<KubeList<Copy>>(k, `/apis/${driver}/v1/copies`);
  return body?.items.map(({ spec, status = {} }): CopySeen => {
    // What is not known here does not count as good.
    const state = copyStates.find((s) => s === status.state) ?? 'behind';
    const since = Date.parse(status.since ?? '');
    const until = Date.parse(status.until ?? '');
    return {
      volume: spec.volume,
      host: spec.host,
      state,
      age: Number.isNaN(since) ? 0 : Math.max(0, at - since),
      since: Number.isNaN(since) ? at : since,
      ...(status.from ? { from: status.from } : {}),
      ...(status.of ? { filled: status.filled ?? 0, of: status.of } : {}),
      ...(Number.isNaN(until) ? {} : { left: Math.max(0, until - at) }),
      ...(status.message ? { why: status.message } : {}),
    };
  });
}
