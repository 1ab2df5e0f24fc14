import type { Known } from '../../schedule/estimate.ts';
import type { Step } from '../../schedule/steps.ts';
import { counted } from '../../words/amounts.ts';
import type { Between, ChangeKind, ChangeRow } from '../change.ts';
import { Steps } from '../lanes.ts';

const standing = (b: Between) => [
  ...b.stays.map((n) => ({ host: n.host, role: n.role })),
  ...b.leaves.map((l) => ({ host: l.host, role: l.role })),
];

/** Etcd is backed up; workers are switched off, then the control plane; what was made for the cluster outside of its hosts goes, and that is proved. */
function steps(b: Between, known: Known): Step[] {
  const s = new Steps(b.plan, known, b.estate);
  const off = (role: string, after: string[]) =>
    standing(b)
      .filter((h) => h.role === role)
      .map(({ host }) => s.add(`${host}/off`, host, 'off', 'off', after, { host }));
  const backup = s.whole('backup', 'backup', 'back up etcd', []);
  const workers = off('worker', [backup]);
  const members = off('control-plane', workers.length ? workers : [backup]);
  s.add('release', 'estate', 'release', 'release addresses', members.length ? members : workers);
  s.add('names', 'estate', 'names', 'take back the records', ['release']);
  s.whole('gone', 'gone', 'proof', ['names']);
  s.whole('forget', 'forget', 'forget keys', ['gone']);
  return s.list;
}

/** The end of a cluster: its charter stays, and its hosts are held for it, off, until they are given back. */
export const takeDown: ChangeKind = {
  kind: 'take-down',
  label: 'Take down',
  due: () => false,
  asked: (b) => standing(b).length > 0,
  ends: true,
  nothing: (name) => `No host serves ${name}: there is nothing to take down.`,
  confirm: (b) =>
    `What runs on ${standing(b)
      .map((h) => h.host)
      .join(
        ', ',
      )} ends for good. The charter stays; the hosts stay held for it, off, with what lies on their drives, until they are given back.`,
  rows: goneRows,
  installs: () => [],
  removes: (b) => standing(b).map((h) => h.host),
  title: (b) => `Take ${b.plan.charter.name} down`,
  steps,
  away: (b) => `everything that runs on its ${counted(standing(b).length, 'host')}, for good`,
  point: (_, list) => {
    const first = list.find((s) => s.kind === 'off');
    return (
      first && {
        step: first.id,
        text: 'what ran is gone; the backup of etcd stays, volumes stay on the drives until the hosts are given back',
      }
    );
  },
};

/** What becomes of everything that was made for a cluster, when it is taken down. */
function goneRows(b: Between): ChangeRow[] {
  const hosts = b.stays.length + b.leaves.length;
  const own = b.plan.reservations.filter((r) => !r.owner.use?.startsWith('node '));
  const names = own.filter((r) => r.name).length;
  return [
    { what: counted(hosts, 'host'), now: 'serve', after: 'held, off', how: 'switched off; given back by an act of its own' },
    {
      what: counted(own.length, 'address', 'addresses'),
      now: 'reserved',
      after: 'free',
      how: 'those of hosts follow when they are given back',
    },
    { what: counted(names, 'name'), now: 'served', after: 'lead nowhere', how: 'taken back from the name servers' },
    { what: counted(b.plan.certificates.length, 'certificate'), now: 'kept sealed', after: 'gone', how: 'with their keys' },
    { what: 'Charter, builds, backups of etcd', now: 'kept', after: 'kept', how: 'not touched' },
  ];
}
