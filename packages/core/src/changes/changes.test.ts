import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { type Charter, type Estate, type Host, kinds } from '../model/index.ts';
import { ended, fold, newRun, ready } from '../schedule/index.ts';
import { between, changeAsked, changeDue, changeKind, changeKinds, ChangeName, type Installed } from './index.ts';

/** A cluster that stands on what its plan chose, with three workers unless said otherwise. */
function standing(more: Partial<Charter> = {}): Estate {
  const e = goodEstate();
  e.charters = [kinds.Charter.parse({ ...(e.charters[0] as Charter), ...more }) as Charter];
  const plan = resolve(e.charters[0] as Charter, e);
  const roles = new Map(plan.nodes.map((n) => [n.host, n.role]));
  e.hosts = e.hosts.map((h) => {
    const role = roles.get(h.name);
    return role ? ({ ...h, state: 'serving', held: { charter: 'plover', role } } as Host) : h;
  });
  return e;
}
/** The change that is due when the charter of a cluster that stands is set otherwise. */
function dueFor(e: Estate, more: Partial<Charter>) {
  const charter = kinds.Charter.parse({ ...(e.charters[0] as Charter), ...more }) as Charter;
  const after = { ...e, charters: [charter] };
  return changeDue(resolve(charter, after), after);
}
const two = { workers: { count: 2 } };

describe('what is due for a cluster', () => {
  it('is a build while nothing of it stands', () => {
    const e = goodEstate();
    const due = changeDue(resolve(e.charters[0] as Charter, e), e);
    expect([due?.kind, due?.joins.length, due?.leaves]).toEqual(['build', 6, []]);
  });
  it('is nothing where it stands as planned', () => {
    expect(dueFor(standing(), {})).toBeUndefined();
  });
  it.each<[string, Partial<Charter>, Partial<Charter>, string, number, number]>([
    ['one worker more', two, { workers: { count: 3 } }, 'add-hosts', 1, 0],
    ['one worker fewer', {}, two, 'remove-hosts', 0, 1],
    ['another one', two, { ...two, except: ['lr-04'] }, 'replace-hosts', 1, 1],
    ['one that nobody replaces', {}, { workers: { count: 2 }, except: ['lr-04'] }, 'remove-hosts', 0, 1],
  ])('%s', (_, before, after, kind, joins, leaves) => {
    const due = dueFor(standing(before), after);
    expect([due?.kind, due?.joins.length, due?.leaves.length]).toEqual([kind, joins, leaves]);
  });
  it('names hosts, up to two of them', () => {
    expect(dueFor(standing(two), { workers: { count: 3 } })?.title).toBe('Add lr-06 to plover');
    expect(dueFor(standing(two), { ...two, except: ['lr-04'] })?.title).toBe('Replace lr-04 of plover by lr-06');
    expect(dueFor(standing(), { workers: { count: 0 } })?.title).toBe('Remove 3 hosts from plover');
  });
});

/** The same, installed with the release before, which is declared too. */
function behind(more: Partial<Charter> = {}): Estate {
  const e = standing(more);
  const [now] = e.releases;
  if (now)
    e.releases = [...e.releases, { ...now, name: '1.33.6', version: '1.33.6' }, { ...now, name: '1.32.9', version: '1.32.9' }];
  e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { ...h.held, release: '1.33.6', installed: 'build 1' } } : h));
  return e;
}

describe('an upgrade', () => {
  it('is due while a host that stands has another release', () => {
    const e = behind(two);
    const due = dueFor(e, {});
    expect([due?.kind, due?.title, due?.refused]).toEqual(['upgrade', 'Upgrade plover to 1.34.2', []]);
    // The rest, where some have it already.
    e.hosts = e.hosts.map((h) => (h.name === 'lr-01' && h.held ? { ...h, held: { ...h.held, release: '1.34.2' } } : h));
    expect(dueFor(e, {})?.joins).toEqual(['lr-02', 'lr-03', 'lr-04', 'lr-05']);
    expect(dueFor(e, {})?.stands).toHaveLength(5);
    // Of a host that nobody installed here it is not known.
    e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { charter: 'plover', role: h.held.role } } : h));
    expect(dueFor(e, {})).toBeUndefined();
  });
  it('takes one host after the other: etcd backed up, control plane, then workers', () => {
    const due = dueFor(behind(two), {});
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect(after('lr-01/drain')).toEqual(['backup']);
    expect(after('lr-02/drain')).toEqual(['lr-01/join']);
    expect(after('quorum')).toEqual(['lr-03/join']);
    expect(after('lr-04/drain')).toEqual(['pod-network']);
    expect(after('lr-05/drain')).toEqual(['lr-04/join']);
    // 2 × 31 cores, and 31 while one of the two is away: the second goes in the moment in which the first is back.
    expect(due?.capacity.map((p) => p.cores)).toEqual([62, 31, 62]);
  });
  it.each<[string, Partial<Charter>, string]>([
    ['back', { release: '1.32.9' }, '1.32.9 is older than 1.33.6, which hosts have'],
    ['while a host comes', { workers: { count: 3 } }, 'hosts come or go as well'],
    ['while one goes', { workers: { count: 1 } }, 'hosts come or go as well'],
  ])('is refused %s', (_, more, why) => {
    expect(dueFor(behind(two), more)?.refused[0]).toContain(why);
  });
  it('over two minor versions in one step is refused', () => {
    const e = behind(two);
    e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { ...h.held, release: '1.32.9' } } : h));
    expect(dueFor(e, {})?.refused).toEqual([
      'there is no step from 1.32.9 to 1.34.2: no releases in between lead there one minor version at a time',
    ]);
  });
});

describe('guests in an upgrade', () => {
  /** As if those were guests: that is a matter of the plan alone. */
  const due = (guests: string[], more: Partial<Charter> = two) => {
    const e = behind(more);
    const plan = resolve(e.charters[0] as Charter, e);
    plan.nodes = plan.nodes.map((n) => (guests.includes(n.host) ? { ...n, guest: { hypervisor: 'hv-1', mould: 'node' } } : n));
    return changeDue(plan, e);
  };
  it('are cast anew; a member leaves etcd before, since its data are gone with its system', () => {
    const plan = due(['lr-02', 'lr-05']);
    const kinds = (host: string) => plan?.steps.filter((s) => s.host === host).map((s) => s.kind);
    expect(plan?.refused).toEqual([]);
    expect(kinds('lr-02')).toEqual(['drain', 'member', 'cast', 'power', 'system', 'images', 'control-plane']);
    expect(kinds('lr-05')).toEqual(['drain', 'cast', 'power', 'system', 'images', 'worker']);
    expect(kinds('lr-01')).not.toContain('cast');
    expect(plan?.rows.find((r) => r.what === '2 guests')?.how).toContain('further volumes stay');
  });
  it('refuse it where one of them is the only member: everything that etcd holds would be gone', () => {
    const one = { controlPlane: { count: 1 }, workers: { count: 2 } };
    expect(due(['lr-01'], one)?.refused[0]).toContain('lr-01 is a guest and the only member of the control plane');
    expect(due(['lr-02'], one)?.refused).toEqual([]);
  });
});

describe('files that are otherwise by now', () => {
  const files = (list: Record<string, string[]>) => new Map(Object.entries(list));
  const none = { files: files({}), manifests: [], certificates: new Map<string, string>() };
  const due = (installed: Partial<Parameters<typeof changeDue>[3]>, more: Partial<Charter> = {}, e = standing()) => {
    const charter = kinds.Charter.parse({ ...(e.charters[0] as Charter), ...more }) as Charter;
    return changeDue(resolve(charter, e), e, undefined, { ...none, ...installed });
  };
  const stays = () => between(resolve(standing().charters[0] as Charter, standing()), standing()).stays;

  it('are brought to the hosts that have them, and to no other', () => {
    const worker = stays().find((n) => n.role === 'worker')?.host ?? '';
    const plan = due({ files: files({ [worker]: ['/etc/timezone'] }) });
    expect([plan?.kind, plan?.title, plan?.joins]).toEqual(['apply', 'Apply changes to 1 host of plover', [worker]]);
    expect(plan?.steps.filter((s) => s.host).map((s) => [s.host, s.kind])).toEqual(
      ['drain', 'power', 'system', 'images', 'worker'].map((k) => [worker, k]),
    );
    // Etcd is not touched, and is not backed up for it.
    expect(plan?.steps.some((s) => s.kind === 'backup')).toBe(false);
    expect(plan?.rows[0]).toMatchObject({ what: '/etc/timezone', how: expect.stringContaining(`on ${worker}`) });
  });
  it('of the control plane: one member after the other, etcd backed up first', () => {
    const members = stays().filter((n) => n.role === 'control-plane');
    const plan = due({ files: files(Object.fromEntries(members.map((n) => [n.host, ['/etc/haproxy/haproxy.cfg']]))) });
    const drains = plan?.steps.filter((s) => s.kind === 'drain').map((s) => s.after) ?? [];
    expect(drains[0]).toEqual(['backup']);
    expect(drains.slice(1)).toEqual(members.slice(0, 2).map((n) => [`${n.host}/join`]));
    expect(plan?.rows).toHaveLength(1);
  });
  it('what the API was given is given anew, and no host is touched', () => {
    const plan = due({ manifests: ['cluster/manifests/5-services.yaml'] });
    expect([plan?.title, plan?.away]).toEqual(['Apply changes to plover', 'nothing: no host is touched']);
    expect(plan?.steps.map((s) => s.kind)).toEqual(['preflight', 'names', 'pod-network', 'inbound', 'proof']);
  });
  it('what pods and services have already is not changed under them', () => {
    const before = standing().charters[0] as Charter;
    const plan = due({ manifests: ['x'], charter: before }, { pods: { ...before.pods, range: '10.250.0.0/16' } });
    expect(plan?.refused).toEqual([
      'the range of its pods cannot change while it stands (pods.range): set it back, or build another cluster',
    ]);
  });
  it('come after hosts that come or go: they are installed with what follows by then', () => {
    expect(due({ files: files({ 'lr-02': ['/x'] }) }, two)?.kind).toBe('remove-hosts');
  });
});

describe('certificates', () => {
  const at = (days: number) => new Date(Date.parse(goodEstate().now) + days * 86_400_000).toISOString();
  const ending = (days: number, more: Partial<Charter> = {}) => {
    const e = standing(more);
    e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { ...h.held, certificates: at(days) } } : h));
    return e;
  };
  it.each<[string, number, Partial<Charter>, string | undefined]>([
    ['61 days before their end nothing is due', 61, {}, undefined],
    ['59 days before it they are', 59, {}, 'renew'],
    // Those of 30 days: a third of their time is ten days.
    ['of short ones with a third of their time left: 11 days', 11, { certificates: { days: 30 } }, undefined],
    ['9 days', 9, { certificates: { days: 30 } }, 'renew'],
  ])('%s', (_, days, more, kind) => {
    expect(dueFor(ending(days, more), more)?.kind).toBe(kind);
  });
  it.each<[string, Partial<Charter>, (hosts: string[]) => Partial<Installed>, boolean]>([
    ['over SSH while they run, where every host has the account', {}, (hosts) => ({ accounts: new Set(hosts) }), true],
    ['by starting them anew, where one was installed without it', {}, (hosts) => ({ accounts: new Set(hosts.slice(1)) }), false],
    [
      'by starting them anew, where something else of a host waits for it',
      {},
      (hosts) => ({ accounts: new Set(hosts), files: new Map([[hosts[0] as string, ['/etc/kubernetes/kubelet.yaml']]]) }),
      false,
    ],
    [
      'by starting them anew, where the charter says so',
      { certificates: { renewed: 'restart' } },
      (hosts) => ({ accounts: new Set(hosts) }),
      false,
    ],
  ])('come to hosts %s', (_, more, installed, running) => {
    const e = standing(more);
    const plan = resolve(e.charters[0] as Charter, e);
    const hosts = plan.nodes.map((n) => n.host);
    for (const kind of ['renew', 'authority'] as const) {
      const c = changeAsked(kind, plan, e, undefined, installed(hosts));
      const of = (step: string) => c?.steps.filter((s) => s.kind === step).map((s) => s.host) ?? [];
      expect([of('files').length, of('drain').length, of('power').length]).toEqual(running ? [6, 0, 0] : [0, 6, 6]);
      expect(c?.away.startsWith('nothing: pods run on')).toBe(running);
      if (!running) continue;
      // Room stays as it is, etcd is backed up before the first member, and members come one after the other.
      expect(new Set(c?.capacity.map((x) => x.cores)).size).toBe(1);
      const before = (host: string | undefined) => c?.steps.find((s) => s.kind === 'files' && s.host === host)?.after;
      const members = plan.nodes.filter((n) => n.role === 'control-plane').map((n) => n.host);
      expect(members.map(before)).toEqual([['backup'], ...members.slice(0, -1).map((h) => [`${h}/files`])]);
      const workers = plan.nodes.filter((n) => n.role === 'worker').map((n) => n.host);
      expect(workers.map(before)).toEqual([['quorum'], [`${workers[0]}/files`], [`${workers[0]}/files`]]);
    }
  });
  it('are renewed by whoever asks at any time, host by host', () => {
    const e = ending(300);
    const plan = changeAsked('renew', resolve(e.charters[0] as Charter, e), e);
    expect([plan?.title, plan?.joins.length, plan?.leaves, plan?.ends]).toEqual(['Renew certificates of plover', 6, [], false]);
    expect(plan?.rows[0]?.now).toBe(`the first ends ${at(300).slice(0, 10)}`);
  });
  it('not while hosts come or go', () => {
    const e = ending(5);
    expect(dueFor(e, two)?.kind).toBe('remove-hosts');
    const charter = { ...(e.charters[0] as Charter), ...two } as Charter;
    expect(changeAsked('renew', resolve(charter, { ...e, charters: [charter] }), e)).toBeUndefined();
  });
});

describe('authorities', () => {
  const day = 86_400_000;
  const at = (days: number) => new Date(Date.parse(goodEstate().now) + days * day).toISOString();
  const of = (stage: 1 | 2 | 3, days: number, more: Partial<Charter> = {}) => {
    const e = standing(more);
    const charter = e.charters[0] as Charter;
    return changeDue(resolve(charter, e), e, undefined, { authority: { stage, ends: at(days) } });
  };
  it.each<[string, 1 | 2 | 3, number, Partial<Charter>, string | undefined]>([
    // A certificate holds 365 days, and sixty more: 425 days.
    ['another is due so early that no certificate outlives the one that stands', 1, 424, {}, 'authority'],
    ['and not before', 1, 426, {}, undefined],
    ['of one that holds 90 days a third: 30 days', 1, 29, { certificates: { caDays: 90 } }, 'authority'],
    ['31 days', 1, 31, { certificates: { caDays: 90 } }, undefined],
    ['one that is begun is gone on with, whenever it ends', 2, 3600, {}, 'authority'],
    ['to its end', 3, 3600, {}, 'authority'],
  ])('%s', (_, stage, days, more, kind) => {
    expect(of(stage, days, more)?.kind).toBe(kind);
  });
  it('are trusted before they issue, and the old one goes last; each change takes every host', () => {
    const all = ([1, 2, 3] as const).map((stage) => of(stage, 100));
    expect(all.map((p) => p?.title)).toEqual([
      'Trust the next authority of plover',
      'Issue certificates of plover by the next authority',
      'Trust the next authority of plover alone',
    ]);
    expect(all.map((p) => [p?.authority, p?.joins.length])).toEqual([
      [1, 6],
      [2, 6],
      [3, 6],
    ]);
  });
  it('are not changed while hosts come or go, and before certificates where both are due', () => {
    const e = standing();
    e.hosts = e.hosts.map((h) => (h.held ? { ...h, held: { ...h.held, certificates: at(5) } } : h));
    const installed = { authority: { stage: 1 as const, ends: at(100) } };
    expect(changeDue(resolve(e.charters[0] as Charter, e), e, undefined, installed)?.kind).toBe('authority');
    const charter = { ...(e.charters[0] as Charter), ...two } as Charter;
    expect(changeAsked('authority', resolve(charter, { ...e, charters: [charter] }), e)).toBeUndefined();
  });
});

describe('taking a cluster down', () => {
  const asked = (e: Estate) => changeAsked('take-down', resolve(e.charters[0] as Charter, e), e);
  it('follows from nothing: it is asked for, and there must be something to take down', () => {
    expect(asked(goodEstate())).toBeUndefined();
    expect(changeAsked('add-hosts', resolve(goodEstate().charters[0] as Charter, goodEstate()), standing())).toBeUndefined();
    expect([asked(standing())?.title, asked(standing())?.ends, dueFor(standing(), {})]).toEqual([
      'Take plover down',
      true,
      undefined,
    ]);
  });
  it('backs etcd up, switches workers off and then the control plane, and proves it before keys are forgotten', () => {
    const due = asked(standing(two));
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect([due?.joins, due?.leaves.length]).toEqual([[], 5]);
    expect(after('lr-04/off')).toEqual(['backup']);
    expect(after('lr-01/off')).toEqual(['lr-04/off', 'lr-05/off']);
    expect(after('release')).toEqual(['lr-01/off', 'lr-02/off', 'lr-03/off']);
    expect([after('names'), after('gone'), after('forget')]).toEqual([['release'], ['names'], ['gone']]);
    expect(due?.point?.step).toBe('lr-04/off');
    expect(due?.capacity.map((p) => p.cores)).toEqual([62, 0]);
  });
});

describe('giving hosts back', () => {
  /** plover was taken down: its hosts are held, with what lies on their drives. */
  const down = (kept = 5) => {
    const e = standing(two);
    let n = 0;
    e.hosts = e.hosts.map((h) =>
      h.held ? { ...h, state: 'held', held: { ...h.held, ...(n++ < kept ? { installed: 'build 1' } : {}) } } : h,
    ) as Host[];
    return e;
  };
  const asked = (e: Estate) => changeAsked('give-back', resolve(e.charters[0] as Charter, e), e);
  it('is asked for, of a cluster that was taken down', () => {
    expect(asked(standing(two))).toBeUndefined();
    expect(asked(goodEstate())).toBeUndefined();
    const due = asked(down());
    expect([due?.title, due?.ends, due?.leaves.length, due?.joins]).toEqual(['Give back hosts of plover', true, 5, []]);
    expect(due?.confirm).toContain('What lies on the drives of lr-01, lr-02, lr-03, lr-04, lr-05 is gone for good');
  });
  it('wipes each when it rests, side by side; addresses are released when all are wiped', () => {
    const due = asked(down());
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect([after('lr-01/rest'), after('lr-01/wipe'), after('lr-05/wipe')]).toEqual([[], ['lr-01/rest'], ['lr-05/rest']]);
    expect(after('release')).toEqual(['lr-01', 'lr-02', 'lr-03', 'lr-04', 'lr-05'].map((h) => `${h}/wipe`));
    expect([after('names'), after('gone'), due?.point?.step]).toEqual([['release'], ['names'], 'lr-01/wipe']);
  });
  it('comes before the cluster is built anew on them', () => {
    const e = down(2);
    const build = changeDue(resolve(e.charters[0] as Charter, e), e);
    expect([build?.kind, build?.refused]).toEqual([
      'build',
      ['what the cluster before left lies on the drives of lr-01, lr-02: give its hosts back first'],
    ]);
    // Hosts that are held and were never installed are built on.
    const fresh = down(0);
    expect(changeDue(resolve(fresh.charters[0] as Charter, fresh), fresh)?.refused).toEqual([]);
  });
});

describe('the steps of a change', () => {
  it('touch those who come and go, and no other host', () => {
    const due = dueFor(standing(two), { ...two, except: ['lr-04'] });
    expect([...new Set(due?.steps.flatMap((s) => s.host ?? []))].sort()).toEqual(['lr-04', 'lr-06']);
  });
  it('drain nobody before those who come have joined, and one after the other', () => {
    const due = dueFor(standing({ workers: { count: 2 } }), { workers: { count: 1 }, except: ['lr-04', 'lr-05'] });
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect(after('lr-04/drain')).toEqual(['lr-06/join']);
    expect(after('lr-05/drain')).toEqual(['lr-04/leave']);
    expect(after('inbound')).toEqual(['lr-05/leave']);
  });
  it('back etcd up before its members change, and take the old one out before the new one joins', () => {
    const due = dueFor(standing(two), { ...two, except: ['lr-02'] });
    expect([due?.title, due?.joins, due?.leaves]).toEqual(['Replace lr-02 of plover by lr-06', ['lr-06'], ['lr-02']]);
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect(after('lr-02/drain')).toEqual(['backup', 'lr-06/images']);
    expect(after('lr-02/member')).toEqual(['lr-02/drain']);
    expect(after('lr-02/leave')).toEqual(['lr-02/member']);
    expect(after('lr-06/join')).toEqual(['lr-06/images', 'lr-02/leave']);
    expect(after('quorum')).toEqual(['lr-06/join']);
    expect(due?.point?.step).toBe('lr-02/member');
    // Nothing of it where workers alone come and go.
    expect(dueFor(standing(two), { workers: { count: 3 } })?.steps.some((s) => s.kind === 'backup')).toBe(false);
  });
  it('change one member after the other', () => {
    const due = dueFor(standing({ workers: { count: 1 } }), { workers: { count: 1 }, except: ['lr-01', 'lr-02'] });
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    const [first, second] = due?.joins ?? [];
    expect(after('lr-01/drain')).toEqual(['backup', `${first}/images`]);
    expect(after(`${first}/join`)).toEqual([`${first}/images`, 'lr-01/leave']);
    expect(after('lr-02/drain')).toEqual([`${first}/join`, `${second}/images`]);
    expect(after(`${second}/join`)).toEqual([`${second}/images`, 'lr-02/leave']);
  });
  it('of an only member have the next one join first', () => {
    const one = { controlPlane: { count: 1 }, workers: { count: 1 } };
    const due = dueFor(standing(one), { ...one, except: ['lr-01'] });
    const [comes] = due?.joins ?? [];
    const after = (id: string) => due?.steps.find((s) => s.id === id)?.after;
    expect(due?.leaves).toEqual(['lr-01']);
    expect(after(`${comes}/join`)).toEqual([`${comes}/images`, 'backup']);
    expect(after('lr-01/drain')).toEqual([`${comes}/join`]);
  });
  it('of one that takes the address of another begin when that one has left; its records are sent once more', () => {
    /** As held: every node has its address in the ledger. */
    const held = (more: Partial<Charter>) => {
      const e = standing(more);
      e.reservations = [...e.reservations, ...resolve(e.charters[0] as Charter, e).reservations];
      return e;
    };
    const e = held(two);
    const addressOf = (host: string) => resolve(e.charters[0] as Charter, e).nodes.find((n) => n.host === host)?.address;
    const worker = dueFor(e, { ...two, except: ['lr-04'], keepAddresses: true });
    const after = (plan: typeof worker, id: string) => plan?.steps.find((s) => s.id === id)?.after;
    expect(worker?.rows[0]).toMatchObject({
      what: 'lr-06',
      after: `worker, ${addressOf('lr-04')}`,
      how: 'installed anew, when lr-04 has left: it has its address',
    });
    expect([after(worker, 'lr-04/drain'), after(worker, 'lr-06/power'), after(worker, 'lr-06/join')]).toEqual([
      ['names'],
      ['lr-04/leave'],
      ['lr-06/images'],
    ]);
    expect([after(worker, 'names-after'), after(worker, 'inbound')]).toEqual([['lr-06/join'], ['names-after']]);
    const member = dueFor(e, { ...two, except: ['lr-02'], keepAddresses: true });
    expect(member?.rows[0]?.after).toBe(`control plane, ${addressOf('lr-02')}`);
    expect([after(member, 'lr-02/drain'), after(member, 'lr-06/power'), after(member, 'lr-06/join')]).toEqual([
      ['backup'],
      ['lr-02/leave'],
      ['lr-06/images', 'lr-02/leave'],
    ]);
    // Without it the new one has an address of its own, and comes first.
    const own = dueFor(e, { ...two, except: ['lr-04'] });
    expect(own?.rows[0]?.after).not.toContain(addressOf('lr-04'));
    expect(own?.steps.some((s) => s.id === 'names-after')).toBe(false);
    // An only member cannot: the next one must join before it leaves.
    const one = { controlPlane: { count: 1 }, workers: { count: 1 } };
    expect(dueFor(held(one), { ...one, except: ['lr-01'], keepAddresses: true })?.refused[0]).toContain(
      'lr-01 is the only member of the control plane',
    );
  });
  it('lead to their end, in whatever order they succeed', () => {
    fc.assert(
      fc.property(
        fc.subarray(['lr-01', 'lr-02', 'lr-04', 'lr-05', 'lr-06']),
        fc.integer({ min: 0, max: 3 }),
        fc.infiniteStream(fc.nat()),
        fc.boolean(),
        (except, count, picks, keepAddresses) => {
          const e = standing(two);
          e.reservations = [...e.reservations, ...resolve(e.charters[0] as Charter, e).reservations];
          const due = dueFor(e, { workers: { count }, except, keepAddresses });
          if (!due) return;
          let status = fold(newRun(due.steps), { at: '2026-11-23T09:00:00Z', kind: 'begun' });
          for (let n = 0; n <= due.steps.length; n++) {
            const can = ready(due.steps, status);
            if (!can.length) break;
            const step = can[picks.next().value % can.length]?.id as string;
            status = fold(status, { at: '2026-11-23T09:00:00Z', kind: 'succeeded', step });
          }
          expect(ended(due.steps, status)).toBe(true);
          expect(Object.values(status.steps).filter((s) => s.state !== 'done')).toEqual([]);
          // The proof is the last of all: everything else stands before it.
          expect(due.steps.at(-1)?.kind).toBe('proof');
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe('usable cores over time', () => {
  it('go down when a drain begins, and up when one has joined', () => {
    // Workers of 32 cores, one of each kept for the system: 3 × 31, then 2 × 31.
    const fewer = dueFor(standing(), two);
    expect(fewer?.capacity.map((p) => p.cores)).toEqual([93, 62]);
    // Measured and names are usually 10 s and 5 s.
    expect(fewer?.capacity.map((p) => p.at)).toEqual([0, 15]);
    // Preflight 10, names 5, power 60, system 540, images 480, join 120.
    const more = dueFor(standing(two), { workers: { count: 3 } });
    expect(more?.capacity).toEqual([
      { at: 0, cores: 62 },
      { at: 10 + 5 + 60 + 540 + 480 + 120, cores: 93 },
    ]);
  });
  it('of a cluster without workers are those of its members: each is away once, and back', () => {
    const alone = dueFor(behind({ workers: { count: 0 } }), {});
    // lr-01 to lr-03 have 16 cores, one of each kept for the system: 3 × 15, and 2 × 15 until the last is back.
    expect(alone?.capacity.map((p) => p.cores)).toEqual([45, 30, 45]);
  });
  it('stay where one comes in the moment in which another goes', () => {
    expect(dueFor(standing(two), { ...two, except: ['lr-04'] })?.capacity).toEqual([{ at: 0, cores: 62 }]);
  });
  it('of a build they begin at none', () => {
    const e = goodEstate();
    const due = changeDue(resolve(e.charters[0] as Charter, e), e);
    expect(due?.capacity.map((p) => p.cores)).toEqual([0, 93]);
  });
});

describe('a cluster that somebody else built', () => {
  const elsewhere = { elsewhere: true };
  const planOf = (e: Estate, more: Partial<Charter> = {}) =>
    resolve(kinds.Charter.parse({ ...(e.charters[0] as Charter), ...more }) as Charter, e);
  it('is taken in and not built, while none of its hosts serves: nothing is done to them', () => {
    const e = goodEstate();
    const due = changeDue(planOf(e), e, undefined, elsewhere);
    expect([due?.kind, due?.steps.map((s) => [s.kind, s.host]), due?.refused]).toEqual([
      'take-in',
      [
        ['api', undefined],
        ['proof', undefined],
      ],
      [],
    ]);
    expect(due?.joins).toHaveLength(6);
  });
  it('is released, whether it serves or not; what was built from here is not', () => {
    for (const e of [goodEstate(), standing()])
      expect(changeAsked('release', planOf(e), e, undefined, elsewhere)).toMatchObject({
        kind: 'release',
        ends: true,
        refused: [],
      });
    expect(changeAsked('release', planOf(standing()), standing())).toBeUndefined();
  });
  it.each<[string, Partial<Charter>, Partial<Charter>]>([
    ['replace-hosts', two, { ...two, except: ['lr-04'] }],
    ['remove-hosts', {}, two],
    ['add-hosts', two, { workers: { count: 3 } }],
  ])('has no %s: its hosts are not installed from here', (kind, before, more) => {
    const e = standing(before);
    const due = changeDue(planOf(e, more), e, undefined, elsewhere);
    expect([due?.kind, due?.refused[0]]).toEqual([kind, expect.stringContaining('built elsewhere')]);
  });
  it('has its certificates renewed where it was built: that is not due here, and refused where somebody asks', () => {
    const e = standing();
    const installed = { certificates: new Map([['lr-04', '2026-01-01T00:00:00Z']]) };
    expect(changeDue(planOf(e), e, undefined, installed)?.kind).toBe('renew');
    expect(changeDue(planOf(e), e, undefined, { ...installed, ...elsewhere })).toBeUndefined();
    for (const kind of ['renew', 'authority', 'take-down'] as const)
      expect(changeAsked(kind, planOf(e), e, undefined, elsewhere)?.refused[0]).toContain('built elsewhere');
  });
  it('gets objects for its API, and no files for its hosts', () => {
    const e = standing();
    const given = { manifests: ['cluster/manifests/5-addons.yaml'], ...elsewhere };
    expect(changeDue(planOf(e), e, undefined, given)).toMatchObject({ kind: 'apply', refused: [] });
    const files = new Map([['lr-04', ['/etc/chrony.conf']]]);
    expect(changeDue(planOf(e), e, undefined, { ...given, files })?.refused).toEqual([
      'its hosts were installed elsewhere, and get no files from here: set back what /etc/chrony.conf follows from',
    ]);
  });
});

describe('every kind of change', () => {
  it('is in the list once, and at most one is due', () => {
    expect(changeKinds.map((k) => k.kind).sort()).toEqual([...ChangeName.options].sort());
    for (const name of ChangeName.options) expect(changeKind(name).kind).toBe(name);
    fc.assert(
      fc.property(
        fc.subarray(['lr-01', 'lr-04', 'lr-05', 'lr-06']),
        fc.integer({ min: 0, max: 3 }),
        fc.boolean(),
        (except, count, stands) => {
          const e = stands ? standing(two) : goodEstate();
          const charter = { ...(e.charters[0] as Charter), workers: { count }, except };
          const b = between(resolve(charter, e), e);
          if (b.joins.length + b.leaves.length) expect(changeKinds.filter((k) => k.due(b)).length).toBe(1);
        },
      ),
      { numRuns: 60 },
    );
  });
});
