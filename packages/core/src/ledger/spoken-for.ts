import { parsePrefix, prefixRange } from '../address/parse.ts';
import type { Doc, Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { liesIn, speakers, type Spoken, spokenBy } from '../reading/speaks.ts';

export type { Spoken } from '../reading/speaks.ts';

const sliceOf = {
  Site: 'sites',
  Network: 'networks',
  Gateway: 'gateways',
  BackupStore: 'backupStores',
  Zone: 'zones',
  Host: 'hosts',
  Hypervisor: 'hypervisors',
  Registry: 'registries',
  Charter: 'charters',
} as const satisfies Record<(typeof speakers)[number], keyof Estate>;

/** The part of an estate that speaks for addresses beside the ledger. */
export type Declared = Pick<Estate, Exclude<(typeof sliceOf)[keyof typeof sliceOf], 'hosts'>> & {
  hosts: readonly Pick<Estate['hosts'][number], 'name' | 'site' | 'bmc'>[];
};

/**
 * Every address of a network that the plan speaks for without a reservation: nothing else may be given them, whoever asks. As
 * `View.spokenFor`, of a part of an estate that was read for the purpose.
 */
export function spokenFor(estate: Declared, network: Network): Spoken[] {
  const whole = prefixRange(parsePrefix(network.prefix));
  return speakers
    .flatMap((kind) => (estate[sliceOf[kind]] as readonly object[]).flatMap((d) => spokenBy({ ...d, kind } as Doc)))
    .filter((s) => liesIn(s, whole));
}
