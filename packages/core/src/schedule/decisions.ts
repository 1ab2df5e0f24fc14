import { z } from 'zod';

/** What a step broke of, where somebody can decide to go on: hosts and runners report it by this name. */
export const diskNotEmpty = 'disk-not-empty';
export const notDrained = 'not-drained';
export const notOff = 'not-off';
export const FailureCode = z.enum([diskNotEmpty, notDrained, notOff]);
export type FailureCode = z.infer<typeof FailureCode>;

export interface DecisionWords {
  /** What it is called in the API. */
  key: 'erase' | 'undrained' | 'off';
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
/** What can be decided where a step failed, by the code of the failure. It is confirmed by the names of the hosts, and put down. */
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
};
export const decisionKeys = Object.values(decisions).map((d) => d.key);
/** Hosts that somebody decided so for. */
export type Decided = Partial<Record<DecisionWords['key'], readonly string[]>>;
