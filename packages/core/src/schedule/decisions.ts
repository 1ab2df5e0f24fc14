import { z } from 'zod';

/** What a step broke of, where somebody can decide to go on: hosts and runners report it by this name. */
export const diskNotEmpty = 'disk-not-empty';
export const notDrained = 'not-drained';
export const notOff = 'not-off';
export const notBackedUp = 'not-backed-up';
export const onlyHere = 'only-here';
export const FailureCode = z.enum([diskNotEmpty, notDrained, notOff, notBackedUp, onlyHere]);
export type FailureCode = z.infer<typeof FailureCode>;

export interface DecisionWords {
  /** What it is called in the API. */
  key: 'erase' | 'undrained' | 'off' | 'unbacked' | 'unkept';
  /** On the button. */
  label: string;
  /** On the button of the dialog. */
  act: string;
  title: (hosts: string) => string;
  /** What becomes of it, after what was found. */
  about: string;
  /** What the record says that somebody did. */
  said: (hosts: string) => string;
}
/** What can be decided where a step failed, by the code of the failure. It is confirmed by the names of the hosts, or of the cluster, and put down. */
export const decisions: Record<FailureCode, DecisionWords> = {
  [diskNotEmpty]: {
    key: 'erase',
    label: 'Erase disks and retry…',
    act: 'Erase and retry',
    title: (hosts) => `Erase disks of ${hosts}`,
    about: 'What is on them is gone for good. What this change has laid out on them already is kept.',
    said: (hosts) => `let it erase disks of ${hosts}`,
  },
  [notDrained]: {
    key: 'undrained',
    label: 'Go on without draining…',
    act: 'Go on',
    title: (hosts) => `Go on although ${hosts} is not drained`,
    about:
      'Pods that are left there end when it is switched off, whatever their disruption budgets say; others take their place as they can.',
    said: (hosts) => `let it go on without draining ${hosts}`,
  },
  [notOff]: {
    key: 'off',
    label: 'It is off, go on…',
    act: 'It is off',
    title: (hosts) => `${hosts} is off, and stays off`,
    about:
      'See to it at the machine: nobody here can. If it comes back, it works with addresses and volumes that others have by then.',
    said: (hosts) => `said that ${hosts} is off`,
  },
  [notBackedUp]: {
    key: 'unbacked',
    label: 'Go on without a backup…',
    act: 'Go on',
    title: (cluster) => `Go on although etcd of ${cluster} is not backed up`,
    about: 'What the cluster knows is then in the members of etcd alone: if this goes wrong, it is lost.',
    said: (cluster) => `let it go on without a backup of etcd of ${cluster}`,
  },
  [onlyHere]: {
    key: 'unkept',
    label: 'Go on without its data…',
    act: 'Go on',
    title: (hosts) => `Go on although data lie on ${hosts} alone`,
    about: 'Nobody can reach them while it is off. Once a host that leaves is wiped, they are gone for good.',
    said: (hosts) => `let it go on although data lie on ${hosts} alone`,
  },
};
export const decisionKeys = Object.values(decisions).map((d) => d.key);
/** Hosts that somebody decided so for. */
export type Decided = Partial<Record<DecisionWords['key'], readonly string[]>>;
