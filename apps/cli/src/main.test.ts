import { cpSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { main } from './main.ts';

const demo = join(import.meta.dirname, '../../../demo/estate');
const work = mkdtempSync(join(tmpdir(), 'praesidor-cli-'));
afterAll(() => rmSync(work, { recursive: true }));

async function run(...args: string[]) {
  let out = '';
  let err = '';
  const code = await main(
    args,
    (t) => {
      out += t;
    },
    (t) => {
      err += t;
    },
  );
  return { code, out, err };
}
const copy = (name: string) => {
  const dir = join(work, name);
  cpSync(demo, dir, { recursive: true });
  return dir;
};

describe('check', () => {
  it('finds in the demo estate what was planted there, and exits 1', async () => {
    const { code, out } = await run('check', '--estate', demo);
    expect(code).toBe(1);
    for (const planted of [
      'ADR-001 Charter plover',
      'CHT-007 Charter plover',
      'DNS-002 Record chart-plotter',
      'HST-001 Host bw-14',
      'CHT-001 Charter dunlin',
      'CHT-003 Charter dunlin',
      'NET-007 Site lr',
    ])
      expect(out).toContain(planted);
  });
  it('exits 0 where nothing stops', async () => {
    expect((await run('check', '--estate', demo, '--charter', 'tern')).code).toBe(0);
  });
  it('says it in JSON', async () => {
    const r = JSON.parse((await run('check', '--estate', demo, '--charter', 'plover', '--json')).out) as {
      findings: { code: string }[];
    };
    expect(r.findings.map((f) => f.code)).toContain('ADR-001');
  });
});

describe('unusable input', () => {
  it('is told to programs in JSON, whatever it is', async () => {
    const said = async (...args: string[]) => {
      const { code, out, err } = await run(...args, '--json');
      expect([code, out]).toEqual([2, '']);
      return (JSON.parse(err) as { error: { code: string; message: string } }).error;
    };
    expect(await said('check', '--estate', join(work, 'nowhere'))).toMatchObject({
      code: 'unusable',
      message: expect.stringContaining('nowhere'),
    });
    expect(await said('check', '--estat', demo)).toMatchObject({ code: 'usage', message: expect.stringContaining('--estat') });
    // Without it they stay for people.
    expect((await run('check', '--estat', demo)).err).toMatch(/^error: required option '--estate/);
  });
  it('is named with file, line and column, and exits 2', async () => {
    const dir = copy('bad');
    writeFileSync(
      join(dir, 'bad.yaml'),
      'apiVersion: praesidor/v1\nkind: Network\nname: x\nsite: lr\npurpos: machine\nprefix: 10.0.0.0/8\n',
    );
    const { code, err, out } = await run('check', '--estate', dir);
    expect([code, out]).toEqual([2, '']);
    expect(err).toContain(`${join(dir, 'bad.yaml')}:5:1: purpos: unknown field purpos; did you mean purpose?`);
  });
  it.each([
    [['check'], 'required option'],
    [['check', '--estate', '/nowhere-at-all'], 'no such folder'],
    [['follow', '--estate', demo, '--charter', 'plovr'], 'did you mean plover?'],
    [['chek', '--estate', demo], 'unknown command'],
    [['check', '--estate', demo, '--now', 'noon'], 'is not a time'],
  ] as const)('%j exits 2', async (args, says) => {
    const { code, err } = await run(...args);
    expect(code).toBe(2);
    expect(err).toContain(says);
  });
  it('a document declared twice is', async () => {
    const dir = copy('twice');
    writeFileSync(join(dir, 'again.yaml'), readFileSync(join(dir, 'lantern-rock.yaml'), 'utf8').split('---')[0] as string);
    expect((await run('check', '--estate', dir)).err).toContain('Site lr is declared a second time');
  });
});

describe('follow and files', () => {
  it('say the same as the plan', async () => {
    const p = JSON.parse((await run('follow', '--estate', demo, '--charter', 'tern', '--json')).out) as {
      nodes: unknown[];
      api: { address: string };
    };
    expect([p.nodes.length, p.api.address]).toEqual([9, '10.40.8.10']);
  });
  it('write a kit that is the same the second time, and not over another', async () => {
    const [a, b] = [join(work, 'a'), join(work, 'b')];
    expect((await run('files', '--estate', demo, '--charter', 'tern', '--out', a)).code).toBe(0);
    await run('files', '--estate', demo, '--charter', 'tern', '--out', b);
    const files = (dir: string) =>
      readdirSync(dir, { recursive: true, withFileTypes: true })
        .filter((f) => f.isFile())
        .map((f) => join(f.parentPath, f.name))
        .sort();
    expect(files(a).map((f) => readFileSync(f, 'utf8'))).toEqual(files(b).map((f) => readFileSync(f, 'utf8')));
    expect((await run('files', '--estate', demo, '--out', a)).code).toBe(2);
  });
  it('say what a kit lacks that is not whole', async () => {
    const r = await run('files', '--estate', demo, '--charter', 'plover');
    expect(r.code).toBe(1);
    expect(r.out).toMatch(/^not whole: plover, control-plane: 0 of 3 hosts found$/m);
    const json = JSON.parse((await run('files', '--estate', demo, '--charter', 'plover', '--json')).out) as {
      lacking: string[];
    }[];
    expect(json[0]?.lacking.length).toBeGreaterThan(0);
  });
});

describe('volumes and backup', () => {
  it('tell where copies lie, what can be lost, what comes when, and what a store is to hold', async () => {
    const list = await run('volumes', 'list', 'tern', '--estate', demo);
    expect(list.code).toBe(0);
    // 64 GB at 2 Gbit/s: 256 s; 25 h between two on the day that has so many.
    expect(list.out).toMatch(
      /bookings\/data-0 64 GB kept: bw-\d+ bw-\d+ bw-\d+; nightly, 7 kept, can lose 25 h, read back in 4 min 16 s/,
    );
    expect(list.out).toContain('print-spool/queue 5.0 GB scratch');
    const plan = await run('backup', 'plan', 'tern', '--estate', demo, '--json', '--now', '2027-03-01T12:00:00Z');
    const { plans } = JSON.parse(plan.out) as { plans: { name: string; next: number[] }[] };
    expect(plans.map((p) => [p.name, new Date(p.next[0] ?? 0).toISOString()])).toEqual([
      ['nightly', '2027-03-02T02:00:00.000Z'],
      ['timetable', '2027-03-01T12:30:00.000Z'],
    ]);
    const stores = await run('backup', 'stores', '--estate', demo);
    expect([stores.code, stores.out]).toEqual([0, expect.stringMatching(/^bw-objects \(bw\): 1\d\d GB planned of 400 GB; tern/)]);
    expect(await run('volumes', 'list', 'turn', '--estate', demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining('did you mean tern?'),
    });
  });
});

describe('rehearse', () => {
  it('tells what is missed of a service over time, until it is back', async () => {
    const { out } = await run('rehearse', 'loss', 'tern', 'time', '--back', '1440', '--estate', demo);
    expect(out).toContain('clocks (of all hosts, by themselves): 1 s apart after 1 h 23 min');
    const dns = await run('rehearse', 'loss', 'tern', 'DNS', '--back', '10', '--estate', demo);
    expect(dns.out).toContain('names (DNS): 10 min');
  });
  it('tells what happens when a host is lost, and that something does not come back', async () => {
    const { code, out } = await run('rehearse', 'loss', 'tern', 'bw-02', '--estate', demo);
    expect(code).toBe(1);
    const lines = out.split('\n');
    // 50 s is when a host counts as lost.
    expect(lines.slice(0, 3)).toEqual([
      'control plane (3 of 3 members): decides',
      '  0 s to 50 s: not noticed',
      '  50 s to the end: counts as lost',
    ]);
    expect(out).toContain('bookings (1 replica): until mended');
    const zone = await run('rehearse', 'loss', 'tern', 'rack=R1', '--estate', demo, '--json');
    expect(JSON.parse(zone.out)[0]).toMatchObject({ title: 'control plane', about: '1 of 3 members', bad: true });
    expect((await run('rehearse', 'loss', 'tern', 'bw-13', '--estate', demo)).code).toBe(0);
    const drained = await run(
      'rehearse',
      'loss',
      'tern',
      'bw-02',
      '--drained',
      '--back',
      '30',
      '--then',
      'registry',
      '--estate',
      demo,
    );
    // 10 s until its volume is attached elsewhere, and 40 s until it is ready.
    expect(drained.out).toContain('bookings (1 replica): 50 s');
    expect(await run('rehearse', 'loss', 'tern', 'bw-02', '--back', 'soon', '--estate', demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining('--back: soon is not a whole number of minutes'),
    });
  });
  it('tells all cases from the worst on, and what helps', async () => {
    const { code, out } = await run('rehearse', 'all', 'tern', '--estate', demo, '--most', '2');
    expect([code, out.split('\n').map((l) => l.split(' ')[0])]).toEqual([0, ['everything', 'rack', 'and', 'in', '']]);
    const helps = await run('rehearse', 'helps', 'tern', '--estate', demo, '--json');
    expect(JSON.parse(helps.out)[0]).toMatchObject({
      label: expect.stringContaining('after 30 s'),
      edits: [{ path: ['timers', 'tolerate'] }],
    });
  });
  it('tells what starts when at a site, who waits for whom, and what waits in a circle', async () => {
    const bw = await run('rehearse', 'start', 'bw', '--estate', demo);
    expect(bw.code).toBe(0);
    // Switches 3 min, hosts 5 min; then a majority of the control plane.
    expect(bw.out).toContain('8 min          Control plane of tern, takes 1 min (assumed), waits for bw-06\n');
    expect(bw.out).toContain('2 of bw-01, bw-06, bw-11: etcd wants 2 of 3 members');
    const stop = await run('rehearse', 'start', 'bw', '--stop', '--estate', demo);
    expect(stop.out.trim().split('\n').at(-1)).toMatch(/ stop Power$/);
    // The clock of the ship comes from its own cluster.
    const ship = await run('rehearse', 'start', 'dnl', '--estate', demo);
    expect([ship.code, ship.out]).toEqual([
      1,
      expect.stringContaining(
        'circle: Time waits for Service addresses of dunlin waits for Nodes of dunlin waits for Control plane of dunlin waits for Time',
      ),
    ]);
    expect(JSON.parse((await run('rehearse', 'start', 'dnl', '--estate', demo, '--json')).out).circles[0]).toMatchObject({
      unless: 'the clocks of the hosts are right by themselves',
      mend: { label: 'Ask the time also of 10.40.0.60' },
    });
    expect(await run('rehearse', 'start', 'bx', '--estate', demo)).toMatchObject({
      code: 2,
      err: expect.stringContaining('there is no site bx; did you mean bw?'),
    });
  });
  it.each([
    [['all', 'trn'], 'there is no cluster trn; did you mean tern?'],
    [['loss', 'tern', 'bw-99'], 'tern has no bw-99'],
    [['loss', 'tern', 'rack=R9'], 'tern has no rack=R9'],
    [['loss', 'plover', 'lr-02'], 'plover has no host yet: nothing can be lost'],
    [['all', 'tern', '--most', '0'], '--most: 0 is not a whole number from 1 on'],
  ])('%j is refused: %s', async (words, why) => {
    const { code, err } = await run('rehearse', ...words, '--estate', demo);
    expect([code, err]).toEqual([2, expect.stringContaining(why)]);
  });
});

describe('reach', () => {
  it('tells every hop there and back, and whether a packet of that size passes', async () => {
    const { code, out } = await run('reach', 'trace', 'plover', 'lr-bmc', '--estate', demo);
    expect([code, out.split('\n')]).toEqual([
      0,
      [
        'API of plover (10.62.8.20 in lr-machine) to a machine in lr-bmc (10.62.7.2 in lr-bmc), 1500 bytes',
        'Forward  2 hops',
        '  API of plover → 10.62.8.1  in lr-machine, VLAN 812, MTU 1500  by 0.0.0.0/0 (lr-machine gateway)',
        '  lr-gate-a → the receiver  in lr-bmc, VLAN 811, MTU 1500  by 10.62.7.0/26 (lr-gate members.0.interfaces.1)',
        'Return   2 hops',
        '  a machine in lr-bmc → 10.62.7.1  in lr-bmc, VLAN 811, MTU 1500  by 0.0.0.0/0 (lr-bmc gateway)',
        '  lr-gate-a → the receiver  in lr-machine, VLAN 812, MTU 1500  by 10.62.8.0/25 (lr-gate members.0.interfaces.0)',
        'While lr-gate-b leads: works',
        '',
      ],
    ]);
    const large = await run('reach', 'trace', 'plover', 'lr-bmc', '--estate', demo, '--bytes', '9000');
    expect([large.code, large.out]).toEqual([1, expect.stringContaining('2 hops: 9000 bytes do not pass, 1500 do')]);
    const json = await run('reach', 'trace', 'lr-tun-host', 'lr-machine', '--estate', demo, '--json');
    expect(JSON.parse(json.out)).toMatchObject({
      works: false,
      forward: { stop: { at: 'router of lr-tun-host', edits: [{ key: 'lr-tun-host', path: ['routesTo'] }] } },
    });
  });
  it('says what becomes of the path while the other gateway leads, and what mends it', async () => {
    const { code, out } = await run(
      'reach',
      'trace',
      'lr-desks/10.62.40.17',
      'plover/radar-archive',
      '--estate',
      demo,
      '--port',
      '443',
      '--bytes',
      '1400',
    );
    expect([code, out]).toEqual([
      0,
      expect.stringContaining(
        'While lr-gate-b leads: the answer stops at lr-gate-b: it has no route to 10.62.40.17\n  would mend it: 10.62.40.0/24 via 10.62.0.9 on lr-gate-b\n',
      ),
    ]);
    expect(out).toContain('asks for 10.62.8.96: one host answers');
    // plover's overlay is set too large: of 1,500 bytes inside, 58 of headers leave 1,442.
    expect(out).toContain('in geneve with 1500 bytes inside, of which 1442 fit');
    expect((await run('reach', 'trace', 'lr-desks/10.62.40.17', 'plover/radar-archive', '--estate', demo)).code).toBe(1);
  });
  it('sets both ways of announcing side by side', async () => {
    const { code, out } = await run('reach', 'announce', 'tern', '--estate', demo);
    expect(code).toBe(0);
    // Six workers with 25 Gbit/s each; both sides take the smaller of 90 and 30 s.
    expect(out).toContain('BGP, as the charter has it\n  one service is carried by 6 nodes, 150 Gbit/s at most\n  out for 31 s');
    expect(out).toContain('ARP and NDP\n  one service is carried by 1 node, 25 Gbit/s at most');
  });
  it.each([
    [['routes', 'lr-machine'], 0, '10.62.7.0/26  into lr-bmc  (lr-gate members.0.interfaces.1)\n'],
    [
      ['what', '10.62.40.17'],
      0,
      'radar desk 2  in lr-desks  since 2026-03-17T08:00:00Z\nan address  in lr-desks  of 10.62.40.0/24\n',
    ],
    [['what', '10.128.3.9'], 0, 'a pod of plover  of 10.128.3.0/24\n'],
    [['what', '192.168.0.1'], 1, 'nothing is declared about 192.168.0.1'],
    [['outside', 'plover', 'lr-desks'], 0, 'route add 10.62.8.96/28 via 10.62.40.1\n'],
    [['files', 'lr-gate'], 0, '  route 10.62.40.0/24 via 10.62.0.1;\n'],
    [['routes', 'lr-gate-b'], 0, '10.62.0.8/29  into lr-up-b  (lr-gate members.1.interfaces.3)\n'],
    [['explain', 'lr-machine', '10.62.7.9'], 0, 'chosen  10.62.7.0/26  into lr-bmc'],
    [['explain', 'lr-machine', '10.99.0.1'], 1, 'lr-gate-b has no route to 10.99.0.1'],
  ])('%j', async (args, code, says) => {
    expect(await run('reach', ...args, '--estate', demo)).toMatchObject({ code, out: expect.stringContaining(says) });
  });
  it.each([
    [['trace', 'lr-machin', 'lr-bmc'], 'did you mean lr-machine?'],
    [['trace', 'lr-bmc', 'lr-machine', '--bytes', 'many'], '--bytes: many is not a whole number'],
    [['routes', 'lr-store'], 'lr-store has no gateway'],
    [['explain', 'lr-machine', 'x'], 'x is no address'],
    [['what', '10.62'], '10.62 is no address'],
    [['outside', 'plover', 'lr-desks', '--form', 'fax'], '--form: fax is none of ip, kea, dnsmasq, bird'],
    [['outside', 'petrel', 'lr-desks'], 'machines in lr-desks are told nothing of the pool of petrel'],
    [['files', 'lr-gat'], 'did you mean lr-gate?'],
    [['trace', 'lr-bmc', 'lr-machine', '--protocol', 'sctp'], '--protocol: sctp is none of tcp, udp, icmp'],
    [
      ['trace', 'plover/nothing', 'lr-machine'],
      'plover has no nothing: there are api, inbound, pod, radar-archive, berth-planner',
    ],
    [['announce', 'ploverr'], 'did you mean plover?'],
  ])('%j cannot be worked with: exit 2, in a sentence', async (args, says) => {
    expect(await run('reach', ...args, '--estate', demo)).toMatchObject({ code: 2, err: expect.stringContaining(says) });
  });
});

describe('address', () => {
  it.each([
    [['next', 'lr-machine', '--estate', demo], 0, '10.62.8.2\n'],
    [['next', '10.0.0.0/29', '--taken', '10.0.0.1 10.0.0.2', '--how', 'highest'], 0, '10.0.0.6\n'],
    // The scope begins at .100; plover's service pool has what is below .112
    [['next', 'lr-machine', '--estate', demo, '--pool', 'lease'], 0, '10.62.8.112\n'],
    [['block', '10.0.0.0/24', '2', '--align', '8', '--taken', '10.0.0.8'], 0, '10.0.0.16\n10.0.0.17\n'],
    [['block', '10.0.0.0/30', '5'], 1, '10.0.0.0/30, outside its DHCP scopes and pools, has no 5 free addresses in a row\n'],
    [['carve', '10.62.8.0/24', '26', '--estate', demo], 0, '10.62.8.128/26\n'],
    [['carve', 'fd00::/126', '127', '--taken', 'fd00::/127'], 0, 'fd00::2/127\n'],
    [['carve', '10.0.0.0/30', '31', '--taken', '10.0.0.0/30'], 1, 'there is no free prefix of that length in 10.0.0.0/30\n'],
    [['free', '10.0.0.0/29', '--taken', '10.0.0.3'], 0, '10.0.0.1-10.0.0.2\n10.0.0.4-10.0.0.6\n'],
    [['free', '10.0.0.0/29', '--taken', '10.0.0.3', '--prefixes'], 0, '10.0.0.1/32\n10.0.0.2/32\n10.0.0.4/31\n10.0.0.6/32\n'],
    [
      ['overlaps', '10.0.0.0/24', '10.0.0.128/25', '10.1.0.0/16'],
      1,
      '10.0.0.0/24 and 10.0.0.128/25 share 10.0.0.128-10.0.0.255\n',
    ],
    [['overlaps', '10.0.0.0/24', '10.1.0.0/16'], 0, ''],
    [['overlaps', '--joined', '10.0.0.0/25', '10.0.0.128/25'], 0, '10.0.0.0/24\n'],
    [['overlaps', '--without', '10.0.0.0/30', '10.0.0.1'], 0, '10.0.0.0/32\n10.0.0.2/31\n'],
  ])('%j', async (args, code, out) => {
    expect(await run('address', ...args)).toMatchObject({ code, out });
  });
  it.each([
    [['next', 'lr-machin', '--estate', demo], 'there is no network lr-machine; did you mean'],
    [['next', 'lr-machine'], 'lr-machine is no prefix; for a network by its name give --estate'],
    [['next', '10.0.0.1/24'], 'its network is 10.0.0.0/24'],
    [['next', '10.0.0.0/24', '--how', 'nicely'], '--how: nicely is none of lowest, highest, spread'],
    [['block', '10.0.0.0/24', 'many'], 'count: many is not a whole number'],
    [['overlaps', '--file', '/no/such'], '/no/such: there is no such file'],
    [['nonsense'], 'unknown command'],
  ])('%j cannot be worked with: exit 2, in a sentence', async (args, says) => {
    const { code, err } = await run('address', ...args);
    expect([code, err]).toEqual([2, expect.stringContaining(says.replace('lr-machine; did', 'lr-machin; did'))]);
  });
  it('answers programs in JSON', async () => {
    const { out } = await run('address', 'free', 'lr-store', '--estate', demo, '--json');
    expect(JSON.parse(out)).toMatchObject({ free: expect.arrayContaining(['10.62.9.1-10.62.9.62']), count: '62' });
  });
});

describe('names', () => {
  const zone = 'lr.kestrelferries.example';
  const now = ['--estate', demo, '--now', '2026-11-23T09:00:00Z'];
  const put = (name: string, text: string) => {
    const file = join(work, name);
    writeFileSync(file, text);
    return file;
  };
  it('writes a zone, finds nothing wrong with it, and no difference to the plan', async () => {
    const written = await run('names', 'write', zone, ...now, '--serial', '2026112300');
    expect(written.out).toContain('( 2026112301 3600 900 1209600 300 )');
    const file = put(`${zone}.zone`, written.out);
    expect(await run('names', 'lint', file)).toMatchObject({ code: 0, out: expect.stringMatching(/^\d+ records, 0 found\n$/) });
    expect((await run('names', 'diff', file, ...now)).code).toBe(0);
  });
  it('says what is wrong with a file, at its line, also across forward and reverse', async () => {
    const forward = put('f.zone', '@ SOA ns1 hm 5 1 1 1 1\n@ NS ns1\nns1 A 10.62.8.53\nweb A 10.62.8.300\nold CNAME gone\n');
    const back = put('b.zone', '@ SOA ns1.x.example. hm.x.example. 5 1 1 1 1\n@ NS ns1.x.example.\n54 PTR ns1.x.example.\n');
    const { code, out } = await run('names', 'lint', `x.example=${forward}`, `8.62.10.in-addr.arpa=${back}`, '--served', '9');
    expect(code).toBe(1);
    for (const says of [
      ':4:7: stop address: 10.62.8.300',
      ':5:1: mind dangling',
      ':1:1: stop serial: serial 5 goes back',
      'b.zone:3:1: mind pair',
      'ns1.x.example has no reverse',
    ])
      expect(out).toContain(says);
  });
  it('shows what an update would change', async () => {
    const { out } = await run('names', 'write', zone, ...now);
    const file = put(
      `${zone}.zone`,
      out
        .replace('ns1.lr.kestrelferries.example. 3600 IN A 10.62.8.53', 'ns1.lr.kestrelferries.example. 60 IN A 10.62.8.99')
        .concat('radar 60 A 10.62.8.45\n'),
    );
    const d = await run('names', 'diff', file, ...now);
    expect(d.code).toBe(1);
    expect(d.out).toContain('~ ns1.lr.kestrelferries.example A 10.62.8.99 (60 s) → 10.62.8.53 (3600 s)\n');
    expect(d.out).toContain('? radar.lr.kestrelferries.example 60 A 10.62.8.45\n');
    const json = JSON.parse((await run('names', 'diff', file, ...now, '--json')).out);
    expect(json.update.prerequisites).toEqual([{ name: 'ns1.lr.kestrelferries.example', type: 'A', values: ['10.62.8.99'] }]);
  });
  it('knows reverse names and zones', async () => {
    expect((await run('names', 'reverse', 'fd00:62::1')).out).toBe(
      '1.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.2.6.0.0.0.0.d.f.ip6.arpa\n',
    );
    expect((await run('names', 'reverse', '10.62.8.0/23')).out).toBe('8.62.10.in-addr.arpa\n9.62.10.in-addr.arpa\n');
    expect((await run('names', 'reverse', '10.62.8.64/31', '--servers', 'ns1.x.example')).out).toContain(
      '65.8.62.10.in-addr.arpa. IN CNAME 65.64-65.8.62.10.in-addr.arpa.',
    );
    expect(await run('names', 'reverse', 'here')).toMatchObject({ code: 2, err: expect.stringContaining('is not an address') });
    expect(await run('names', 'lint', 'some.file')).toMatchObject({ code: 2, err: expect.stringContaining('ZONE=FILE') });
  });
});

describe('hosts', () => {
  const on = (...args: string[]) => run('hosts', ...args, '--estate', demo);
  it('lists by the language of the filter, and says where it cannot be read', async () => {
    expect(
      (await on('list', 'site:bw', 'is:guest', 'cluster:gannet', 'role:worker')).out.split('\n').map((l) => l.split(' ')[0]),
    ).toEqual(['bw-g4', 'bw-g5', 'bw-g6', '']);
    expect(await on('list', 'zone:A', 'memry>=4')).toMatchObject({
      code: 2,
      err: 'column 8: memry is no fact; did you mean memory?\n',
    });
  });
  it('judges each role with its reasons', async () => {
    const r = await on('fit', 'bw-14');
    expect(r.out).toContain('bw-14 worker: firmware: system 2.17, ≥ 2.19 asked (bring system to 2.19 or later, below 3)');
    expect(r.out).toContain('bw-14 registry: fits');
    expect(r.code).toBe(0);
  });
  it('plans firmware in order, and exits 1 when something is to be done', async () => {
    expect(await on('plan-firmware')).toMatchObject({
      code: 1,
      out: 'bw-14: 1 restart, 15 min; not now: its controller has no accepted certificate\n  system 2.17 to 2.21, then restart\n',
    });
    expect((await on('plan-firmware', 'bw-01')).code).toBe(0);
  });
  it('packs guests, and says what is left and what fails', async () => {
    const r = await on('pack', 'errand', '--count', '2', '--stem', 'bw-e');
    expect(r.out).toContain('bw-e1 on bw-hv1');
    expect(r.out).toContain('bw-hv3 has 104 GiB and 78 vCPU left; when it fails, all find room');
    expect(r.out).toContain('no packing uses fewer than 3');
    expect(r.code).toBe(0);
    expect((await on('pack', 'erand')).err).toContain('did you mean errand?');
    expect((await on('pack', 'staging-node', '--count', '30')).code).toBe(1);
    expect((JSON.parse((await on('pack', '--json')).out) as { packing: { left: unknown[] } }).packing.left).toHaveLength(3);
  });
  it('turns a table into documents, and tells what is wrong by its line', async () => {
    const file = join(work, 'hosts.csv');
    writeFileSync(file, 'name,site,rack,unit\nbw-30,bw,R2,10\n');
    expect(await on('import', file)).toMatchObject({ code: 0, out: expect.stringContaining('name: bw-30') });
    writeFileSync(file, 'name,site,serial\nbw-30,bw,HW40009B\nbw-31,nowhere,\n');
    expect(await on('import', file)).toMatchObject({
      code: 1,
      out: `${file}:2: bw-30 double: serial HW40009B is bw-09's\n${file}:3: bw-31 wrong: there is no site nowhere\n`,
    });
  });
});

describe('charter', () => {
  const fresh = (name: string) => join(work, name);
  it('is begun, from nothing or from a neighbour, under its name', async () => {
    const one = await run('charter', 'new', 'sandling', '--site', 'ptl', '--estate', demo);
    expect(one.out).toMatch(/^name: sandling$/m);
    const two = await run('charter', 'new', 'sandling', '--site', 'ptl', '--from', 'petrel', '--estate', demo);
    expect(two.out).toMatch(/^name: sandling$/m);
    expect(two.out).toMatch(/^site: ptl$/m);
    // Nothing that must be its own is taken along.
    const petrel = (await run('charter', 'diff', 'petrel', 'dunlin', '--estate', demo)).out;
    expect(petrel).toContain('services.range: ');
    expect((await run('charter', 'new', 'plover', '--site', 'lr', '--estate', demo)).err).toContain(
      'there is a charter plover already',
    );
    expect((await run('charter', 'new', 'x', '--site', 'lrr', '--estate', demo)).err).toContain('did you mean lr?');
  });
  it('is begun from a template by answers, and compared with it', async () => {
    const begin = (...more: string[]) =>
      run('charter', 'new', 'sandling', '--site', 'sdl', '--template', 'ship-edge', '--estate', demo, ...more);
    const lacks = await begin();
    expect([lacks.code, lacks.err.split('\n').filter(Boolean)]).toEqual([
      2,
      ['control-plane', 'workers', 'mirror', 'published'].map((q) => expect.stringMatching(`${q}: .* It is not answered.`)),
    ]);
    const made = await begin('--answers', 'control-plane=1; workers=0; mirror=bw-registry; published=10.73.1.20-10.73.1.23');
    expect(made.out).toMatch(/^name: sandling$/m);
    expect(made.out).toContain('range: 10.144.64.0/18');
    expect(made.out).toContain('tolerate: 60');
    expect((await begin('--answers', 'mirorr=x')).err).toContain('did you mean mirror?');
    expect((await run('charter', 'new', 'x', '--site', 'sdl', '--template', 'ship-edg', '--estate', demo)).err).toContain(
      'did you mean ship-edge?',
    );
    const dunlin = await run('charter', 'diff', 'dunlin', '--estate', demo);
    expect([dunlin.code, dunlin.out]).toEqual([
      1,
      'controlPlane.count: 3 → 2\npods.range: 10.144.64.0/18 → 10.144.0.0/18\nworkers.count: 0 → 1\n',
    ]);
    expect((await run('charter', 'diff', 'petrel', '--estate', demo)).code).toBe(0);
    expect((await run('charter', 'diff', 'plover', '--estate', demo)).err).toContain('plover came from no template');
  });
  it('is checked, followed and written as by the commands above', async () => {
    for (const what of ['check', 'follow', 'files'])
      expect((await run('charter', what, 'plover', '--estate', demo, '--json', '--now', '2026-11-23T09:00:00Z')).out).toBe(
        (await run(what, '--charter', 'plover', '--estate', demo, '--json', '--now', '2026-11-23T09:00:00Z')).out,
      );
  });
  it('says why, with rules and fields, and which lines there are', async () => {
    expect((await run('charter', 'why', 'tern', 'quorum', '--estate', demo)).out).toBe(
      'Quorum: 2 of 3; 1 may be lost\n  majority of 3 members: ⌊3/2⌋ + 1 = 2   (controlPlane.count)\n  tolerates 3 − 2 = 1\n',
    );
    expect((await run('charter', 'why', 'tern', '--estate', demo)).out).toContain('pod-mtu');
    const { err, code } = await run('charter', 'why', 'tern', 'quorm', '--estate', demo);
    expect([code, err]).toEqual([2, expect.stringContaining('did you mean quorum?')]);
    const json = JSON.parse((await run('charter', 'why', 'tern', 'Pod MTU', '--estate', demo, '--json')).out) as {
      why: object[];
    };
    expect(json.why[0]).toMatchObject({ rule: 'link MTU', field: ['machineNetwork'] });
  });
  it('charter change: what would be done to a cluster, before anything is', async () => {
    const change = (dir: string, name: string, ...more: string[]) => run('charter', 'change', name, '--estate', dir, ...more);
    expect((await change(demo, 'tern')).out).toBe('tern stands as planned\n');
    expect((await change(demo, 'tern', '--renew')).out).toMatch(/^Renew certificates of tern\n/);
    expect((await change(demo, 'gannet', '--renew')).out).toBe('nothing of gannet stands that this could be done to\n');
    const build = await change(demo, 'gannet');
    expect(build.out).toMatch(/^Build gannet\n {2}takes: about \d+ min \(\d+ min to \d+ min\), \d+ steps\n/);
    expect(build.out).toMatch(/\n +0 min {2}estate +measure what is needed\n/);
    // A host that is not to be in it leaves, and another takes its place.
    const dir = copy('change');
    const file = readdirSync(dir)
      .map((f) => join(dir, f))
      .find((f) => /^kind: Charter\nname: tern$/m.test(readFileSync(f, 'utf8'))) as string;
    writeFileSync(file, readFileSync(file, 'utf8').replace(/^kind: Charter\nname: tern$/m, '$&\nexcept: [bw-02]'));
    const { due } = JSON.parse((await change(dir, 'tern', '--json')).out) as {
      due: { kind: string; joins: string[]; leaves: string[]; refused: string[] };
    };
    expect([due.kind, due.leaves, due.joins.length, due.refused]).toEqual(['replace-hosts', ['bw-02'], 1, []]);
    // Declared to have the release before, it is to be upgraded; hosts that come or go wait for that.
    const held = /^held: \{charter: tern, role: ([a-z-]+)\}$/gm;
    writeFileSync(file, readFileSync(file, 'utf8').replace(held, 'held: {charter: tern, role: $1, release: 1.33.6}'));
    const both = await change(dir, 'tern');
    expect(both.out).toContain('refused: hosts come or go as well');
    expect(both.code).toBe(1);
    const nobody = await change(demo, 'nobody');
    expect([nobody.code, nobody.err]).toEqual([2, expect.stringContaining('nobody')]);
  });
  it('tells what a change brings: of charters, files and findings', async () => {
    const file = fresh('change.yaml');
    const { out } = await run('charter', 'new', 'tern-2', '--site', 'bw', '--from', 'tern', '--estate', demo);
    writeFileSync(file, out);
    const added = await run('charter', 'consequences', file, '--estate', demo);
    expect(added.out).toMatch(/^tern-2$/m);
    expect(added.out).toContain('+ file ');
    const mtu = fresh('mtu.yaml');
    const lr = readFileSync(join(demo, 'lantern-rock.yaml'), 'utf8').split(/^---$/m);
    const machine = lr.find((d) => /^name: lr-machine$/m.test(d)) as string;
    writeFileSync(mtu, machine.replace(/^mtu: .*\n/m, '').concat('mtu: 1400\n'));
    const r = JSON.parse((await run('charter', 'consequences', mtu, '--estate', demo, '--json')).out) as {
      charters: { charter: string; changes: { subject: string }[] }[];
    };
    expect(r.charters.map((c) => c.charter)).toEqual(['plover']);
    expect(r.charters[0]?.changes.map((c) => c.subject)).toContain('Pod MTU');
    writeFileSync(mtu, machine);
    expect((await run('charter', 'consequences', mtu, '--estate', demo)).out).toBe('nothing changes\n');
  });
  it('is compared field by field', async () => {
    const file = fresh('plover.yaml');
    const { out } = await run('charter', 'new', 'other', '--site', 'lr', '--from', 'plover', '--estate', demo);
    writeFileSync(file, out.replace('name: other', 'name: plover'));
    const d = await run('charter', 'diff', 'plover', file, '--estate', demo);
    expect([d.code, d.out]).toEqual([1, expect.stringMatching(/^pods\.range: \S+ → \S+$/m)]);
    expect((await run('charter', 'diff', 'plover', 'plover', '--estate', demo)).code).toBe(0);
    expect((await run('charter', 'diff', 'plover', fresh('no.yaml'), '--estate', demo)).err).toContain('there is no such file');
  });
});
