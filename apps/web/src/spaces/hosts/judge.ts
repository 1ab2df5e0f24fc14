import { judgeOf } from '@praesidor/core/hosts';
import { useMemo } from 'react';
import { useSnapshot } from '../../api/queries.ts';

/** The judge of the estate as it stands: a host's fitness for every role. */
export function useJudge() {
  const estate = useSnapshot().data?.estate;
  const profiles = estate?.profiles;
  const baselines = estate?.baselines;
  const networks = estate?.networks;
  return useMemo(
    () => judgeOf({ profiles: profiles ?? [], baselines: baselines ?? [], networks: networks ?? [] }),
    [profiles, baselines, networks],
  );
}
