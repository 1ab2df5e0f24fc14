import { counted } from '../../words/amounts.ts';
import type { Between, ChangeKind } from '../change.ts';
import { Steps } from '../lanes.ts';

const stands = (b: Between) => b.stays.length + b.leaves.length > 0;

/** A cluster that somebody else built and that stands: it is measured against the charter that was drafted of it. Nothing in it is changed. */
export const takeIn: ChangeKind = {
  kind: 'take-in',
  label: 'Take in',
  due: (b) => b.installed.elsewhere === true && !stands(b),
  // Once more, with another way in.
  asked: (b) => b.installed.elsewhere === true && !b.leaves.length,
  installs: (b) => [...b.stays, ...b.joins],
  elsewhere: true,
  asItStands: true,
  title: (b) => `Take in ${b.plan.charter.name}`,
  steps: (b, known) => {
    const s = new Steps(b.plan, known, b.estate);
    s.whole('api', 'api', 'API answers', []);
    s.whole('proof', 'proof', 'proof', ['api']);
    return s.list;
  },
  away: () => 'nothing: it is read, and not changed',
  rows: (b) => [
    {
      what: counted(b.joins.length, 'host'),
      now: 'runs it, and is free here',
      after: 'serves',
      how: 'not touched; no other cluster can have it',
    },
    {
      what: counted(b.plan.reservations.length, 'address', 'addresses'),
      now: 'in use, and free here',
      after: 'reserved',
      how: 'as the charter says',
    },
    { what: 'What the cluster runs', now: 'as it was found', after: 'as it was found', how: 'not touched' },
  ],
};

/** A cluster that was taken in is released: it stands as before, and nothing here is its any more. */
export const release: ChangeKind = {
  kind: 'release',
  label: 'Release',
  due: () => false,
  asked: (b) => b.installed.elsewhere === true,
  nothing: (name) => `${name} was not taken in: what was built from here is taken down.`,
  elsewhere: true,
  ends: true,
  confirm: (b) =>
    `${b.plan.charter.name} is not touched: it runs on as it does. Its hosts are free here, so that another cluster may be installed over it; the way into its API is forgotten. The charter stays.`,
  title: (b) => `Release ${b.plan.charter.name}`,
  installs: () => [],
  removes: (b) => [...b.stays.map((n) => n.host), ...b.leaves.map((l) => l.host)],
  steps: (b, known) => {
    const s = new Steps(b.plan, known, b.estate);
    s.add('free', 'estate', 'free', 'free its hosts', []);
    s.add('release', 'estate', 'release', 'release addresses', ['free']);
    s.whole('forget', 'forget', 'forget the way in', ['release']);
    return s.list;
  },
  away: () => 'nothing: it is not touched',
  rows: (b) => [
    {
      what: counted(b.stays.length + b.leaves.length, 'host'),
      now: 'serve',
      after: 'free here',
      how: 'not touched: they run it on',
    },
    { what: 'Its addresses', now: 'reserved', after: 'free here', how: 'not touched: it has them still' },
    { what: 'Way into its API', now: 'kept sealed', after: 'forgotten', how: 'a kubeconfig is needed to take it in again' },
    { what: 'Charter, builds', now: 'kept', after: 'kept', how: 'not touched' },
  ],
};
