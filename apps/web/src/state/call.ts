import type { QueryKey } from '@tanstack/react-query';
import { api, type Call } from '../api/client.ts';
import { useAct } from './act.ts';

/**
 * An act that is one request: it can be shown as it is sent, before it is sent, on the command line and over HTTP. What is shown is what is
 * sent, since both are made of one description.
 */
export function useCall<T extends { act?: number } | object, V = void>(
  call: (v: V) => Call,
  done: string | ((t: T, v: V) => string | undefined),
  renew?: QueryKey[],
) {
  const act = useAct<T, V>(
    (v) => {
      const { method, path, body } = call(v);
      return api<T>(method, path, body);
    },
    done,
    renew,
  );
  return Object.assign(act, { call });
}
