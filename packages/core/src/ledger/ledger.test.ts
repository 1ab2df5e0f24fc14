import * as words from '../model/words.ts';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { formatIp, holds, parseIp, parseRange } from '../address/index.ts';
import { check } from '../checks/index.ts';
import { applyEdits, type Edit, kinds, type Network, type Reservation } from '../model/index.ts';
import {
  carveChild,
  choose,
  dhcpNetworks,
  dnsmasqConf,
  fieldOf,
  hostsByAddress,
  keaJson,
  pxeOf,
  merge,
  readCsv,
  type Reshaped,
  resize,
  spaceFor,
  spokenFor,
  split,
  writeCsv,
} from './index.ts';
import { macText, tableLimits } from '../table/index.ts';
import { viewOf } from '../reading/index.ts';
import { openIn } from './open.ts';

const network = kinds.Network.parse({
  kind: 'Network',
  name: 'm',
  site: 'lr',
  purpose: 'machine',
  prefix: '10.0.0.0/26',
  gateway: '10.0.0.1',
  dhcp: [{ name: 'lease', range: '10.0.0.40-10.0.0.49' }],
  pools: [
    { name: 'service', range: '10.0.0.32-10.0.0.39', use: 'service' },
    { name: 'in', range: '10.0.0.36-10.0.0.37', use: 'inbound', inside: 'service' },
  ],
}) as Network;
const r = (address: string, more: object = {}) =>
  kinds.Reservation.parse({
    kind: 'Reservation',
    network: 'm',
    address,
    owner: { kind: 'hand', name: 'desk' },
    ...more,
  }) as Reservation;

describe('choosing', () => {
  const pick = (wish: object, taken: string[] = []) =>
    choose(network, spaceFor(network, taken, [], (wish as { pool?: string }).pool), wish);
  it.each([
    [{}, [], ['10.0.0.2']],
    [{ count: 3 }, ['10.0.0.3'], ['10.0.0.4', '10.0.0.5', '10.0.0.6']],
    [{ count: 4, align: 8 }, [], ['10.0.0.8', '10.0.0.9', '10.0.0.10', '10.0.0.11']],
    [{ how: 'highest' }, ['10.0.0.62'], ['10.0.0.61']],
    [{ after: '10.0.0.31' }, [], ['10.0.0.50']],
    [{ after: '10.0.0.62' }, [], ['10.0.0.2']],
    [{ pool: 'service' }, [], ['10.0.0.32']],
    [{ pool: 'service', count: 2, after: '10.0.0.34' }, [], ['10.0.0.38', '10.0.0.39']],
    [{ pool: 'in' }, [], ['10.0.0.36']],
    [{ pool: 'lease' }, ['10.0.0.40'], ['10.0.0.41']],
    [{ address: '10.0.0.62' }, ['10.0.0.62'], ['10.0.0.62']],
    // As named: to the last address of the network, and not beyond.
    [{ address: '10.0.0.62', count: 2 }, [], ['10.0.0.62', '10.0.0.63']],
  ])('%j with %j taken', (wish, taken, want) => {
    expect(pick(wish, taken)).toEqual({ addresses: want });
  });
  it.each([
    [{ address: '10.0.0.63', count: 2 }, 'outside', '2 addresses from 10.0.0.63 do not lie in 10.0.0.0/26'],
    [{ count: 60 }, 'full', 'm, outside its DHCP scopes and pools, has no 60 free addresses in a row'],
    [{ pool: 'dock' }, 'no-pool', 'm has no pool dock; it has service, in, lease'],
  ])('%j is refused', (wish, refused, message) => {
    expect(pick(wish)).toEqual({ refused, message });
  });
});

it('an address is its host’s by name, or as a node of a cluster, and nothing else’s', () => {
  const owned = (address: string, owner: object) => r(address, { owner });
  const list = [
    owned('10.0.0.2', { kind: 'host', name: 'lr-01' }),
    owned('10.0.0.3', { kind: 'charter', name: 'plover', use: 'node lr-02' }),
    owned('10.0.0.4', { kind: 'charter', name: 'plover', use: 'api' }),
    owned('10.0.0.5', { kind: 'hand', name: 'node lr-03' }),
  ];
  expect([...hostsByAddress(list)]).toEqual([
    ['10.0.0.2', 'lr-01'],
    ['10.0.0.3', 'lr-02'],
  ]);
});

describe('where something may be put', () => {
  const estate = goodEstate();
  const machine = estate.networks.find((n) => n.name === 'lr-machine') as Network;
  it('pools for hosts are open to everybody, others only by name', () => {
    // virtual .20–.31 is closed, nodes .32–.59 is for hosts
    expect(choose(machine, spaceFor(machine, [], []), { after: '10.62.8.19' })).toEqual({ addresses: ['10.62.8.32'] });
  });
  it('is what nobody has in that network, whoever has it in another', () => {
    const here = kinds.Reservation.parse({ ...r('10.62.8.2'), network: 'lr-machine' }) as Reservation;
    const there = kinds.Reservation.parse({ ...r('10.62.8.3'), network: 'lr-bmc' }) as Reservation;
    const first = openIn({ ...estate, reservations: [here, there] }, machine).nextFree();
    expect(first && formatIp(first)).toBe('10.62.8.3');
  });
});

describe('what the plan speaks for beside the ledger', () => {
  const estate = goodEstate();
  const machine = estate.networks.find((n) => n.name === 'lr-machine') as never;
  it('is told with whose it is', () => {
    const said = spokenFor(estate, machine).map((s) => `${s.range} ${s.by}`);
    expect(said).toEqual(expect.arrayContaining(['10.62.8.53 resolver of lr', '10.62.8.60 time server of lr']));
    const pool = estate.charters[0]?.servicePool?.range;
    if (pool) expect(said).toContain(`${pool} service pool of ${estate.charters[0]?.name}`);
    expect(
      viewOf(estate)
        .spokenFor(machine, { charter: estate.charters[0]?.name ?? '' })
        .map((s) => s.by),
    ).not.toContain(`service pool of ${estate.charters[0]?.name}`);
    const bmc = estate.networks.find((n) => n.purpose === 'management') as never;
    expect(spokenFor(estate, bmc).map((s) => s.by)).toContain(`controller of ${estate.hosts[0]?.name}`);
  });
  it('counts whichever way a list of servers is written', () => {
    const e = { ...estate, sites: estate.sites.map((s) => ({ ...s, resolvers: '10.62.8.53 10.62.8.54' as never })) };
    expect(spokenFor(e, machine).map((s) => s.range)).toEqual(expect.arrayContaining(['10.62.8.53', '10.62.8.54']));
  });
  it.each(['10.0.0.0/8', '10.62.0.0/16', '10.62.0.0/15', '10.62.8.0/22', '10.62.8.0/25', '10.62.8.48/29'])(
    'is found in %s by blocks as by looking at everything',
    (prefix) => {
      const wide = { ...(machine as Network), name: 'wide', prefix };
      const all = (list: readonly { range: string; by: string }[]) => list.map((s) => `${s.range} ${s.by}`).sort();
      expect(all(viewOf(estate).spokenFor(wide))).toEqual(all(spokenFor(estate, wide)));
      expect(all(spokenFor(estate, wide)).length).toBeGreaterThan(0);
    },
  );
  it('is never chosen, by any way of choosing: property', () => {
    const spoken = spokenFor(estate, machine);
    const ranges = spoken.map((s) => parseRange(s.range));
    fc.assert(
      fc.property(
        fc.constantFrom('lowest', 'highest', 'spread' as const),
        fc.integer({ min: 1, max: 8 }),
        fc.constantFrom(undefined, 'nodes', 'virtual'),
        fc.array(fc.integer({ min: 2, max: 126 }), { maxLength: 40 }),
        (how, count, pool, taken) => {
          const space = spaceFor(
            machine,
            taken.map((n) => `10.62.8.${n}`),
            spoken,
            pool,
          );
          const found = choose(machine, space, { how: how as 'lowest', count, ...(pool ? { pool } : {}) });
          if ('refused' in found) return;
          for (const a of found.addresses) expect(ranges.some((r) => holds(r, parseIp(a)))).toBe(false);
        },
      ),
    );
  });
});

describe('the ledger as a table', () => {
  const nets = [
    network,
    kinds.Network.parse({ kind: 'Network', name: 'wide', site: 'lr', purpose: 'machine', prefix: '10.0.0.0/16' }) as Network,
  ];
  const preview = (text: string, standing: Reservation[] = []) => readCsv(text, nets, standing, () => 'lr.example');
  it('finds the columns by what people call them, whatever separates the cells', () => {
    for (const h of ['IP', 'ip_address', 'Address', ' ADDRESS ']) expect(fieldOf(h)).toBe('address');
    const p = preview('\uFEFFHost;Ip Address;MAC-Address;Shelf\ncrane;10.0.0.5;72B5.E812.9E04;7\n');
    expect(p.columns.map((c) => c.field)).toEqual(['name', 'address', 'mac', undefined]);
    expect(p.lines[0]).toMatchObject({
      line: 2,
      what: 'new',
      doc: { address: '10.0.0.5', network: 'm', name: 'crane.lr.example', mac: '72:b5:e8:12:9e:04' },
    });
  });
  it.each([
    ['10.0.0.300,a', '"10.0.0.300" is not an address'],
    [',a', 'the address is missing'],
    ['192.168.1.1,a', '192.168.1.1 lies in no network that is declared'],
    ['10.0.0.5,-bad-', 'name: a DNS name has labels of letters, digits and hyphens between dots'],
    ['10.0.0.5,a,b', 'the line has 3 cells and the head 2: is a comma inside a cell without quotation marks?'],
  ])('%s is wrong at its line, and the others are not', (row, message) => {
    const p = preview(`address,name\n10.0.0.4,ok\n${row}\n10.0.0.6,ok2\n`);
    expect(p.lines.map((l) => [l.line, l.what])).toEqual([
      [2, 'new'],
      [3, 'wrong'],
      [4, 'new'],
    ]);
    expect(p.lines[1]?.message).toBe(message);
  });
  it('says what changes, what stands twice, and counts lines inside quotes', () => {
    const p = preview('address,name,note\n10.0.0.4,a,"two\nlines"\n10.0.0.4,b,\n10.0.9.1,c,\n', [
      r('10.0.0.4', { name: 'x.lr.example', mac: '72:b5:e8:12:9e:04' }),
    ]);
    expect(p.lines).toMatchObject([
      { line: 2, what: 'changed', message: expect.stringContaining('name: x.lr.example → a.lr.example') },
      { line: 4, what: 'wrong', message: '10.0.0.4 is in line 2 already' },
      { line: 5, what: 'new', doc: { network: 'wide' } },
    ]);
    expect(p.lines[0]?.doc?.mac).toBe('72:b5:e8:12:9e:04'); // no column names it: it stays
  });
  it('cannot be read at all without an address column, and says so', () => {
    expect(preview('adress,name\n10.0.0.4,a\n').fault?.message).toContain('one is nearly so');
    expect(preview('').fault?.message).toContain('must name the columns');
    expect(preview(`address\n${'x'.repeat(tableLimits.bytes)}`).fault?.message).toContain('Split it');
  });
  it('names a network that is nearly one', () => {
    expect(preview('address,network\n10.0.0.4,wid\n').lines[0]?.message).toBe('there is no network wid; did you mean wide?');
  });
  it('reads again what it wrote, and nothing changes', () => {
    const text = fc
      .string({ unit: 'grapheme', minLength: 1, maxLength: 40 })
      .map((s) => s.trim())
      .filter((s) => s.length > 0 && !/^'/.test(s) && !words.unprintable(s));
    fc.assert(
      fc.property(
        fc.uniqueArray(
          fc.record({
            n: fc.integer({ min: 2, max: 62 }),
            owner: text,
            note: fc.option(text, { nil: undefined }),
            resting: fc.boolean(),
          }),
          { selector: (x) => x.n, maxLength: 12 },
        ),
        (list) => {
          const ledger = list.map((x) =>
            r(`10.0.0.${x.n}`, {
              owner: { kind: 'host', name: x.owner, use: 'api' },
              ...(x.note ? { note: x.note } : {}),
              ...(x.resting ? { resting: true } : {}),
              since: '2026-01-01T00:00:00Z',
            }),
          );
          const p = preview(writeCsv(ledger), ledger);
          expect(p.lines.filter((l) => l.what !== 'same')).toEqual([]);
          expect(p.lines).toHaveLength(ledger.length);
        },
      ),
    );
  });
  it('never crashes, and drops no line that has something in it', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(fc.constantFrom(',', '"', '\n', '\r\n', ';', '\t', '10.0.0.7', 'address', '""'), fc.string({ maxLength: 8 })),
          { maxLength: 50 },
        ),
        (parts) => {
          const p = preview(`address,name\n${parts.join('')}`);
          if (!p.fault) for (const l of p.lines) expect(l.line).toBeGreaterThan(1);
        },
      ),
      { numRuns: 400 },
    );
  });
  it('bears a cell of 10 MB', () => {
    expect(preview(`address,note\n10.0.0.4,${'x'.repeat(10_000_000)}\n`).lines[0]?.message).toContain(
      'more than 2000 characters',
    );
  });
  it.each([['72-b5-e8-12-9e-04'], ['72b5.e812.9e04'], ['72B5E8129E04']])('%s is a MAC', (text) => {
    expect(macText(text)).toBe('72:b5:e8:12:9e:04');
  });
});

describe('for DHCP servers', () => {
  const estate = goodEstate();
  estate.reservations.push(
    r('10.62.8.70', { network: 'lr-machine', mac: '72:b5:e8:12:9e:04', name: 'chart.lr.kestrelferries.example' }),
    r('10.62.8.71', { network: 'lr-machine', mac: '72:b5:e8:12:9e:04' }),
    r('10.62.8.72', { network: 'lr-machine', mac: '72:b5:e8:12:9e:05', resting: true }),
  );
  const list = dhcpNetworks(estate.sites[0] as never, estate.networks, estate.reservations);
  it('tells firmware that starts by PXE its first program, and iPXE its script alone', () => {
    const byPxe = {
      ...estate,
      hosts: estate.hosts.map((h, n) => (n || !h.bmc ? h : { ...h, bmc: { ...h.bmc, boot: 'pxe' as const } })),
    };
    expect(pxeOf(estate, 'lr', 'http://10.62.8.2:8080')).toBeUndefined();
    expect(pxeOf(byPxe, 'lr', 'http://elsewhere.example')).toBeUndefined();
    expect(pxeOf(byPxe, 'lr', 'http://[fd00::1]:8080')).toBeUndefined();
    const pxe = pxeOf(byPxe, 'lr', 'http://10.62.8.2:8080');
    expect(pxe?.server).toBe('10.62.8.2');
    const classes = JSON.parse(keaJson(list, pxe)).Dhcp4['client-classes'] as { name: string; test: string }[];
    expect(classes.map((c) => c.name)).toEqual(['praesidor-ipxe', 'praesidor-pxe']);
    expect(classes[1]?.test).toContain("not member('praesidor-ipxe')");
    expect(dnsmasqConf(list, pxe)).toContain('dhcp-boot=tag:pxe,tag:!ipxe,ipxe.efi,,10.62.8.2\n');
    expect(dnsmasqConf(list)).not.toContain('dhcp-boot');
  });
  it('a MAC is bound once, and nothing that rests', () => {
    expect(list.map((d) => d.network.name)).toEqual(['lr-machine']);
    expect(list[0]?.reservations).toEqual([
      { mac: '72:b5:e8:12:9e:04', address: '10.62.8.70', host: 'chart.lr.kestrelferries.example' },
    ]);
  });
  it('writes the scope, the options and the reservation for both', () => {
    const kea = JSON.parse(keaJson(list)).Dhcp4.subnet4[0];
    expect([kea.subnet, kea.pools, kea.reservations.length, kea['option-data'][1]]).toEqual([
      '10.62.8.0/25',
      [{ pool: '10.62.8.100 - 10.62.8.119' }],
      1,
      { name: 'domain-name-servers', data: '10.62.8.53, 10.62.8.54' },
    ]);
    expect(dnsmasqConf(list)).toContain('dhcp-range=set:lr-machine,10.62.8.100,10.62.8.119,255.255.255.128,12h\n');
    expect(dnsmasqConf(list)).toContain('dhcp-host=72:b5:e8:12:9e:04,10.62.8.70,chart\n');
  });
});

describe('reshaping networks', () => {
  const estate = () => {
    const e = goodEstate();
    e.reservations.push(r('10.62.7.40', { network: 'lr-bmc' }));
    return e;
  };
  const net = (e: ReturnType<typeof estate>, name: string) => e.networks.find((n) => n.name === name) as Network;
  const made = (x: Reshaped) => {
    if ('refused' in x) throw new Error(x.refused);
    return x;
  };
  it('carves the next free child, around all that is in the network', () => {
    // .0 gateway… .20–.59 pools, .53 reserved, .100–.119 leased: the first free /28 is .64, the only free /27 is .64
    const e = estate();
    const [edit] = made(carveChild(e, net(e, 'lr-machine'), 28)).edits as [Extract<Edit, { op: 'put' }>];
    expect(edit.doc).toMatchObject({
      name: 'lr-machine-28',
      parent: 'lr-machine',
      prefix: '10.62.8.64/28',
      gateway: '10.62.8.65',
    });
    const after = applyEdits(e, [edit]);
    expect(check(after).findings.filter((f) => ['NET-001', 'NET-014'].includes(f.code))).toEqual([]);
    expect(made(carveChild(after, net(after, 'lr-machine'), 28)).edits[0]).toMatchObject({ doc: { prefix: '10.62.8.80/28' } });
    expect(carveChild(e, net(e, 'lr-machine'), 26)).toEqual({ refused: expect.stringContaining('has no free /26') });
    expect(carveChild(e, net(e, 'lr-machine'), 25)).toEqual({ refused: '/25 does not fit into 10.62.8.0/25' });
  });
  it('splits, reservations going where their address lies, and merges again to the same', () => {
    const e = estate();
    const s = made(split(e, net(e, 'lr-bmc'), 27));
    expect([s.lost, s.moved.map((x) => x.address)]).toEqual([[], ['10.62.7.40']]);
    const halves = applyEdits(e, s.edits);
    expect(halves.networks.filter((n) => n.name.startsWith('lr-bmc')).map((n) => n.prefix)).toEqual([
      '10.62.7.0/27',
      '10.62.7.32/27',
    ]);
    expect(halves.reservations.find((x) => x.address === '10.62.7.40')?.network).toBe('lr-bmc-2');
    const whole = applyEdits(halves, made(merge(halves, net(halves, 'lr-bmc'), net(halves, 'lr-bmc-2'))).edits);
    expect(net(whole, 'lr-bmc')).toEqual(net(e, 'lr-bmc'));
    expect(whole.reservations.find((x) => x.address === '10.62.7.40')?.network).toBe('lr-bmc');
    expect(merge(e, net(e, 'lr-bmc'), net(e, 'lr-machine'))).toEqual({ refused: expect.stringContaining('not the two halves') });
  });
  it('names everything that would lie outside a smaller prefix', () => {
    const e = estate();
    expect(made(resize(e, net(e, 'lr-machine'), '10.62.8.0/26')).lost).toEqual([
      'lease (10.62.8.100-10.62.8.119) of lr-machine would be cut',
    ]);
    expect(made(resize(e, net(e, 'lr-bmc'), '10.62.7.0/27')).lost).toEqual(['10.62.7.40 (desk) would lie outside']);
    expect(made(resize(e, net(e, 'lr-bmc'), '10.62.7.0/24')).lost).toEqual([]);
    expect(resize(e, net(e, 'lr-bmc'), '10.62.7.1/24')).toEqual({
      refused: expect.stringContaining('its network is 10.62.7.0/24'),
    });
  });
});
