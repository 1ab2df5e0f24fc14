import { share } from '../../schedule/limits.ts';
import { counted } from '../../words/amounts.ts';
import type { ChangeKind } from '../change.ts';
import { Steps } from '../lanes.ts';

/**
 * The hosts of a cluster that was taken down are given back: each is wiped, what its drives answered is the proof, and its addresses are free then. The charter stays.
 */
export const giveBack: ChangeKind = {
  kind: 'give-back',
  label: 'Give hosts back',
  nothing: (name) => `${name} has no hosts to give back: take it down first.`,
  due: () => false,
  asked: (b) => b.keeps.length > 0 && !b.stays.length && !b.leaves.length,
  ends: true,
  confirm: (b) =>
    `What lies on the drives of ${b.keeps.map((h) => h.host).join(', ')} is gone for good: volumes of the cluster as well. The charter stays, and so do the backups of etcd.`,
  installs: () => [],
  removes: (b) => b.keeps.map((h) => h.host),
  title: (b) => `Give back hosts of ${b.plan.charter.name}`,
  steps: (b, known) => {
    const s = new Steps(b.plan, known, b.estate);
    const wiped = b.keeps.map(({ host, hypervisor }) => {
      const rests = s.add(`${host}/rest`, host, 'rest', 'give back', [], { host });
      const shares = hypervisor ? share(b.estate, 'hypervisor', hypervisor) : share(b.estate, 'controllers', b.plan.charter.site);
      return s.add(`${host}/wipe`, host, 'wipe', 'wipe', [rests], { host, shares });
    });
    s.add('release', 'estate', 'release', 'release addresses', wiped);
    s.add('names', 'estate', 'names', 'take back the records', ['release']);
    s.whole('gone', 'gone', 'proof', ['names']);
    return s.list;
  },
  away: () => 'nothing: its hosts are off',
  point: (_, steps) => {
    const first = steps.find((s) => s.kind === 'wipe');
    return first && { step: first.id, text: 'what lies on the first drives is gone' };
  },
  rows: (b) => [
    { what: counted(b.keeps.length, 'host'), now: 'held, off', after: 'free', how: 'every drive erased, with proof' },
    { what: 'Volumes on their drives', now: 'kept', after: 'gone', how: 'with the drives' },
    {
      what: 'Addresses of hosts',
      now: 'reserved',
      after: 'free',
      how: 'when their hosts are wiped',
    },
    { what: 'Charter, builds, backups of etcd', now: 'kept', after: 'kept', how: 'not touched' },
  ],
};
