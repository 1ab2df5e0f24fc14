import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { HostPreview } from '@praesidor/core/hosts';
import { type Client, eventually, Installation } from './installation.ts';

/** Living with hosts of metal: coming in by several ways, firmware, wiping, acts on many, and controllers in bad shape. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 2 });
  c = await i.as('warden');
  await c.good('POST', '/api/hosts/sweep', { site: 'bw', range: '10.40.7.11-10.40.7.24' });
  await eventually(async () => (await sightings()).length === 14, 'fourteen sightings');
});
afterAll(() => i.stop());

const sightings = async () => (await c.estate()).observed.sightings;
const host = async (name: string) => (await c.estate()).hosts.find((h) => h.name === name);
interface Accepted {
  results: { address: string; error: string | null; credential?: string }[];
}
const accept = async (addresses: string[], credential: string | string[] = 'bmc-bw') => {
  const all = await sightings();
  const body = {
    credential,
    addresses: addresses.map((address) => ({ address, fingerprint: all.find((s) => s.address === address)?.fingerprint })),
  };
  return (await c.good<Accepted>('POST', '/api/hosts/accept', body)).results;
};
interface WorkAnswer {
  id: number;
  state: string;
  items: { host: string; state: string; text: string; remedy?: string }[];
}
const work = async (kind: string, hosts: string[], asked: object = {}) => {
  const b = await c.good<{ work?: { id: number }; refused: { host: string; why: string }[] }>('POST', '/api/hosts/works', {
    kind,
    hosts,
    asked,
  });
  const end =
    b.work &&
    (await eventually(async () => {
      const { works } = await c.good<{ works: WorkAnswer[] }>('GET', '/api/hosts/works');
      const w = works.find((x) => x.id === b.work?.id);
      return w && !['running', 'stopping'].includes(w.state) && w;
    }, 'the end of the work'));
  return { ...b, end };
};
const act = (name: string, hosts: string[]) =>
  c.good<{ outcomes: { host: string; state?: string; refused?: string }[]; act?: number }>('POST', '/api/hosts/acts', {
    act: name,
    hosts,
  });
const machine = (name: string) => {
  const m = i.world.machines.get(name);
  if (!m) throw new Error(`no machine ${name}`);
  return m;
};

describe('credentials', () => {
  const wrong = ['old', 'older', 'oldest'];
  beforeAll(async () => {
    for (const name of wrong)
      await c.good('POST', '/api/keyring', {
        name,
        use: 'bmc',
        user: 'operator',
        secret: `not-${name}`,
        places: ['10.40.7.0/25'],
      });
  });
  it('that may not be sent there are not tried, and the answer says so', async () => {
    const [none] = await accept(['10.40.7.11'], ['bmc-lr']);
    expect(none?.error).toContain('bmc-lr may not be sent to 10.40.7.11: its places are 10.62.7.0/26');
    expect((await accept(['10.40.7.11'], ['lr-dns']))[0]?.error).toContain('lr-dns is for use tsig, not for bmc');
    expect(machine('bw-01').log.filter((l) => /log-?in|password/i.test(l.text))).toEqual([]);
  });
  it('are tried in order, each once: what was refused is not tried again, and no account is locked by us', async () => {
    const [first] = await accept(['10.40.7.11'], ['old', 'bmc-bw']);
    expect(first).toMatchObject({ error: null, credential: 'bmc-bw' });
    expect((await host('bw-01'))?.bmc).toMatchObject({
      credential: 'bmc-bw',
      fingerprint: expect.stringMatching(/^([0-9A-F]{2}:){31}/),
    });
    for (let n = 0; n < 4; n++)
      expect((await accept(['10.40.7.12'], ['old']))[0]?.error).toMatch(n ? /refused old already/ : /refuses the credentials/);
    expect((await accept(['10.40.7.12'], ['older', 'oldest', 'bmc-bw']))[0]?.error).toMatch(
      /2 passwords were refused within 15 minutes; the next is tried after \d\d:\d\d UTC/,
    );
    expect(machine('bw-02').log.filter((l) => l.text.includes('locked'))).toEqual([]);
  });
  it('that was put right in the keyring is tried again', async () => {
    expect((await accept(['10.40.7.13'], ['old']))[0]?.error).toContain('refuses the credentials');
    await c.good('POST', '/api/keyring', { name: 'old', use: 'bmc', user: 'operator', secret: 'breakwater-demo-7' });
    expect((await accept(['10.40.7.13'], ['old']))[0]?.error).toBeNull();
  });
});

describe('accepting what listed hosts show', () => {
  it('pins them, reads their facts, and keeps what was read', async () => {
    const r = await accept(['10.40.7.14', '10.40.7.19', '10.40.7.24', '10.40.7.20']);
    expect(r.filter((x) => x.error)).toEqual([]);
    expect((await host('bw-14'))?.facts).toMatchObject({
      source: 'bmc',
      processors: [{ model: 'Harrow H7', cores: 16, threads: 32 }, {}],
      disks: [{ bay: 'bay 1', serial: 'HW40014B-D1', lifeLeft: 97, health: 'OK' }, { model: 'Harrow N1920' }],
      nics: [{ adapter: 'Harrow 25G twin', vlans: [400], neighbour: { name: 'bw-sw1a', port: 'Eth34' } }, {}],
      firmware: {
        system: '2.17',
        bmc: '4.10',
        parts: expect.arrayContaining([{ id: 'nic-1', name: 'nic-1 firmware', version: '22.36' }]),
      },
      health: 'OK',
      drawsW: expect.any(Number),
      suppliesW: 800,
      bootOptions: ['UEFI HTTP: eno1', 'Disk: bay 1'],
    });
  });
  it('what changed since last time is kept: a swapped disk, a moved cable', async () => {
    const m = machine('bw-04');
    Object.assign(m.hardware, { disksGB: [480, 3840], switch: 'bw-sw9' });
    await c.good('POST', '/api/hosts/bw-04/refresh');
    const page = await c.good<{ facts: { changes: { what: string; text: string }[] }[] }>('GET', '/api/hosts/bw-04');
    expect(page.facts[0]?.changes.map((x) => x.text)).toEqual([
      'bay 2: 1.9 TB nvme → 3.8 TB nvme',
      'eno1: moved from bw-sw1a Eth34 to bw-sw9a Eth34',
      'eno2: moved from bw-sw1b Eth34 to bw-sw9b Eth34',
    ]);
    await c.good('POST', '/api/hosts/bw-04/refresh');
    expect((await c.good<{ facts: unknown[] }>('GET', '/api/hosts/bw-04')).facts).toHaveLength(page.facts.length);
  });
});

describe('a controller in bad shape', () => {
  it.each([
    ['bmc-slow', /bw-04: 10\.40\.7\.14.*it does not answer/],
    ['bmc-nonsense', /its answer to \/redfish\/v1\/Systems does not fit Redfish/],
    ['bmc-dies', /the connection was closed in the middle|it does not answer/],
  ] as const)('%s: is told, and the facts of before stay', async (fault, says) => {
    const before = (await host('bw-04'))?.facts;
    i.plant(fault, 'bw-04');
    const a = await c.call('POST', '/api/hosts/bw-04/refresh');
    i.lift(fault, 'bw-04');
    expect([a.status, a.body.message]).toEqual([502, expect.stringMatching(says)]);
    expect((await host('bw-04'))?.facts).toEqual(before);
  });
  it('that gives half the facts gives that half, and what it did not tell is named', async () => {
    i.plant('bmc-half', 'bw-04');
    const { host: h } = await c.good<{ host: { facts: { unreadParts: string[]; cores: number; disks: unknown[] } } }>(
      'POST',
      '/api/hosts/bw-04/refresh',
    );
    i.lift('bmc-half', 'bw-04');
    expect(h.facts).toMatchObject({ cores: 32, disks: [] });
    expect(h.facts.unreadParts.map((u) => u.split(':')[0])).toEqual(['drives', 'firmware inventory']);
    await c.good('POST', '/api/hosts/bw-04/refresh');
  });
  it('that dies while it is asked keeps nobody from the others of its sweep', async () => {
    i.plant('bmc-dies', 'bw-07');
    const r = await accept(['10.40.7.17', '10.40.7.18']);
    i.lift('bmc-dies', 'bw-07');
    expect(r.map((x) => x.error === null)).toEqual([false, true]);
    expect((await host('bw-07'))?.facts?.source).toBe('imported');
  });
  it('keeps nobody from the others when many are read, and a sweep goes round it', async () => {
    i.plant('bmc-silent', 'bw-10');
    const w = await work('read', ['bw-04', 'bw-10', 'bw-09', 'bw-05']);
    i.lift('bmc-silent', 'bw-10');
    expect(w.refused).toEqual([{ host: 'bw-05', why: 'the certificate of its controller has not been accepted' }]);
    expect(w.end?.items.map((x) => [x.host, x.state])).toEqual([
      ['bw-04', 'done'],
      ['bw-10', 'failed'],
      ['bw-09', 'done'],
    ]);
    expect(w.end?.items[1]?.text).toContain('it does not answer');
  });
});

describe('firmware', () => {
  it('is brought to the baseline part by part, with a restart, and is measured afterwards', async () => {
    const w = await work('firmware', ['bw-14', 'bw-09']);
    expect(w.refused).toEqual([{ host: 'bw-09', why: 'it is at the baseline already' }]);
    expect(w.end?.items[0]).toMatchObject({ state: 'done', text: 'system 2.21' });
    expect(await host('bw-14')).toMatchObject({ state: 'fit', facts: { firmware: { system: '2.21' } } });
    expect(machine('bw-14').power).toBe('Off'); // as it was before
  });
  it('is refused on a host that serves, until it is drained; a drained one is taken', async () => {
    Object.assign(machine('bw-01').firmware, { 'nic-1': '22.30' });
    await c.good('POST', '/api/hosts/bw-01/refresh');
    expect((await work('firmware', ['bw-01'])).refused).toEqual([{ host: 'bw-01', why: 'it serves; drain it first' }]);
    await act('drain', ['bw-01']);
    expect((await work('firmware', ['bw-01'])).end?.items[0]).toMatchObject({ state: 'done', text: 'nic-1 22.36' });
    await act('undrain', ['bw-01']);
  });
  it('that is stuck is said to be, with how far it was and what to do; and done again it goes on', async () => {
    Object.assign(machine('bw-09').firmware, { system: '2.10' });
    await c.good('POST', '/api/hosts/bw-09/refresh');
    i.plant('firmware-stuck', 'bw-09');
    const w = await work('firmware', ['bw-09']);
    expect(w.end?.items[0]).toMatchObject({
      state: 'failed',
      text: expect.stringMatching(/system of bw-09 is stuck at 30 %: nothing moved for 2 s/),
      remedy: expect.stringContaining('Restart the controller'),
    });
    i.lift('firmware-stuck', 'bw-09');
    expect((await work('firmware', ['bw-09'])).end?.state).toBe('done');
  });
});

describe('work', () => {
  it('is on a host once at a time, and is stopped after what is under way', async () => {
    Object.assign(machine('bw-09').firmware, { system: '2.10' });
    await c.good('POST', '/api/hosts/bw-09/refresh');
    i.plant('firmware-stuck', 'bw-09');
    const b = await c.good<{ work: { id: number } }>('POST', '/api/hosts/works', {
      kind: 'firmware',
      hosts: ['bw-09'],
      asked: {},
    });
    const twice = await c.call('POST', '/api/hosts/works', { kind: 'read', hosts: ['bw-09'], asked: {} });
    expect([twice.status, twice.body.message]).toEqual([409, 'bw-09 is being worked on: Firmware of bw-09.']);
    await c.good('POST', `/api/hosts/works/${b.work.id}/stop`);
    const end = await eventually(async () => {
      const { works } = await c.good<{ works: WorkAnswer[] }>('GET', '/api/hosts/works');
      const w = works.find((x) => x.id === b.work.id);
      return w && !['running', 'stopping'].includes(w.state) && w;
    }, 'its end');
    i.lift('firmware-stuck', 'bw-09');
    expect(end.items[0]?.state).toBe('stopped');
    expect((await work('firmware', ['bw-09'])).end?.state).toBe('done');
  });
  it('goes on after the server was started anew, and writes no image twice', async () => {
    Object.assign(machine('bw-09').firmware, { system: '2.10' });
    await c.good('POST', '/api/hosts/bw-09/refresh');
    const before = machine('bw-09').tasks.size;
    i.world.clock.setSpeed(100); // 24 s a tenth of it, 2.4 s in all
    const b = await c.good<{ work: { id: number } }>('POST', '/api/hosts/works', {
      kind: 'firmware',
      hosts: ['bw-09'],
      asked: {},
    });
    // The controller writes, and which task that is has been put down: whoever goes on finds it there.
    await eventually(async () => {
      const rows = await i.query("select 1 from run_event where run = $1 and data->>'kind' = 'noted' and data->>'key' = 'task'", [
        b.work.id,
      ]);
      return machine('bw-09').tasks.size > before && rows.length > 0;
    }, 'the image is being written');
    await i.restart();
    await eventually(async () => {
      const { works } = await c.good<{ works: WorkAnswer[] }>('GET', '/api/hosts/works');
      return works.find((x) => x.id === b.work.id)?.state === 'done';
    }, 'the end of the work');
    i.world.clock.setSpeed(2000);
    expect(machine('bw-09').tasks.size).toBe(before + 1);
    expect((await host('bw-09'))?.facts?.firmware.system).toBe('2.21');
  });
});

describe('states', () => {
  it('are changed for many at once, each with its outcome, and undone as one', async () => {
    const r = await act('retire', ['bw-09', 'bw-02', 'bw-10', 'nobody']);
    expect(r.outcomes).toEqual([
      { host: 'bw-09', state: 'retired' },
      { host: 'bw-02', refused: 'it is serving; retire is for what is listed or fit or resting' },
      { host: 'bw-10', state: 'retired' },
      { host: 'nobody', refused: 'There is no host nobody.' },
    ]);
    await c.good('POST', `/api/acts/${r.act}/undo`);
    expect([(await host('bw-09'))?.state, (await host('bw-10'))?.state]).toEqual(['fit', 'fit']);
  });
  it('a control plane keeps its majority', async () => {
    expect((await act('drain', ['bw-01'])).outcomes[0]?.state).toBe('serving');
    expect((await act('drain', ['bw-06'])).outcomes[0]?.refused).toBe(
      'tern would keep 1 of 3 control-plane hosts and lose its quorum of 2',
    );
    await act('undrain', ['bw-01']);
  });
  it('are not set by an edit', async () => {
    const a = await c.call('POST', '/api/edits', {
      why: 'slip',
      edits: [{ op: 'set', kind: 'Host', key: 'bw-01', path: ['state'], value: 'retired' }],
    });
    expect([a.status, a.body.message]).toEqual([
      409,
      'state of bw-01 is not set by hand, since acts lead from one state to the next.',
    ]);
  });
  it('a host that was given back is free again only when its drives erased themselves, and what they answered is the proof', async () => {
    await accept(['10.40.7.23']);
    await act('drain', ['bw-13']);
    expect((await act('give-back', ['bw-13'])).outcomes[0]).toMatchObject({ state: 'resting' });
    expect((await act('retire', ['bw-13'])).outcomes[0]?.refused).toContain('wipe them first');
    // As a build leaves it that was given up before there was a system on its disk.
    machine('bw-13').setBoot('UefiHttp', 'http://10.40.0.9/boot/closed/boot.efi', true);
    machine('bw-13').disks.set('HW40013B-D2', { table: 't', systems: [] });
    expect((await work('wipe', ['bw-13', 'bw-12'])).refused).toEqual([
      { host: 'bw-12', why: 'it is serving; only what was given back is wiped' },
    ]);
    const h = await host('bw-13');
    expect(h).toMatchObject({
      state: 'fit',
      wiped: {
        by: 'warden',
        drives: ['bay 1 HW40013B-D1: erased by its own secure erase', 'bay 2 HW40013B-D2: erased by its own secure erase'],
      },
    });
    expect(machine('bw-13').log.map((l) => l.text)).toContain('erase of bay 2: erased');
    expect([machine('bw-13').bootTarget, machine('bw-13').disks.size]).toEqual(['None', 0]);
  });
});

describe('a table of hosts', () => {
  const table =
    'name,site,rack,unit,bmc address,serial,cores,memory\nbw-20,bw,R2,20,10.40.7.40,HW40020B,32,128\nspare,bw,R2,22,10.40.7.41,HW40009B,32,128\nbw-21,nowhere,,,,,,';
  it('shows what each line would do, and takes it whole or not at all; a machine we have is merged by choice', async () => {
    const p = await c.good<HostPreview>('POST', '/api/hosts/preview', { text: table });
    expect(p.counts).toEqual({ new: 1, changed: 0, same: 0, double: 1, wrong: 1 });
    expect((await c.call('POST', '/api/hosts/import', { text: table })).body.message).toContain(
      'line 4: there is no site nowhere',
    );
    expect(await host('bw-20')).toBeUndefined();
    const r = await c.good<{ taken: number; act: number }>('POST', '/api/hosts/import', {
      text: table,
      leaveOut: true,
      doubles: 'merge',
    });
    expect(r.taken).toBe(2);
    expect(await host('bw-20')).toMatchObject({
      state: 'listed',
      rack: 'R2',
      unit: 20,
      facts: { source: 'imported', cores: 32 },
    });
    expect(await host('spare')).toBeUndefined();
    expect(await host('bw-09')).toMatchObject({ rack: 'R1', facts: { source: expect.any(String) } });
    await c.good('POST', `/api/acts/${r.act}/undo`);
    expect(await host('bw-20')).toBeUndefined();
  });
  it('of our own export changes nothing', async () => {
    const r = await fetch(`${c.url}/api/hosts/files/hosts.csv`, { headers: { cookie: c.cookie } });
    const p = await c.good<HostPreview>('POST', '/api/hosts/preview', { text: await r.text() });
    expect(p.counts).toMatchObject({ new: 0, changed: 0, double: 0, wrong: 0 });
  });
});

describe('one machine', () => {
  it('its controller sets light, boot source and media, and tells its log and sensors', async () => {
    await c.good('POST', '/api/hosts/bw-14/bmc', { act: 'light', on: true });
    await c.good('POST', '/api/hosts/bw-14/bmc', { act: 'boot', from: 'Pxe' });
    await c.good('POST', '/api/hosts/bw-14/bmc', { act: 'media', image: 'https://files.kestrelferries.example/rescue.iso' });
    expect(machine('bw-14')).toMatchObject({
      light: true,
      bootTarget: 'Pxe',
      media: 'https://files.kestrelferries.example/rescue.iso',
    });
    const log = await c.good<{ entries: { text: string }[]; media: { image?: string }[] }>('GET', '/api/hosts/bw-14/log');
    expect(log.media[0]?.image).toContain('rescue.iso');
    expect(log.entries.map((e) => e.text)).toContain('update of system: system 2.21 written; it comes up at the next start');
    await c.good('POST', '/api/hosts/bw-14/sensors');
    const page = await c.good<{
      samples: { name: string; unit: string; points: unknown[] }[];
      history: { act: string }[];
      works: unknown[];
      acts: { act: string }[];
    }>('GET', '/api/hosts/bw-14');
    expect(page.samples.find((s) => s.name === 'inlet')).toMatchObject({
      unit: '°C',
      points: expect.arrayContaining([[expect.any(String), expect.any(Number)]]),
    });
    expect(page.history.map((h) => h.act)).toEqual(expect.arrayContaining(['light on', 'boots once from Pxe']));
    expect(page.acts.map((a) => a.act)).toEqual(['retire']);
  });
  it('power is not taken from what serves', async () => {
    expect((await work('power', ['bw-01'], { to: 'off' })).refused[0]?.why).toBe('it serves; drain it first');
    expect((await work('power', ['bw-14'], { to: 'on' })).end?.state).toBe('done');
    expect(machine('bw-14').power).toBe('On');
  });
  it('is merged with its other entry, whose addresses go over', async () => {
    await c.good('POST', '/api/import', { text: 'apiVersion: praesidor/v1\nkind: Host\nname: twin\nsite: bw\nzone: B\n' });
    await c.good('POST', '/api/addresses/reserve', { network: 'bw-machine', owner: { kind: 'host', name: 'twin' } });
    await c.good('POST', '/api/hosts/merge', { keep: 'bw-10', drop: 'twin' });
    const e = await c.estate();
    expect(e.hosts.some((h) => h.name === 'twin')).toBe(false);
    expect(e.reservations.some((r) => r.owner.name === 'bw-10')).toBe(true);
  });
  it('whose controller moved is joined to its entry; another serial is refused', async () => {
    const refused = await c.call('POST', '/api/hosts/rejoin', { host: 'bw-05', address: '10.40.7.14' });
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringContaining('they are two')]);
  });
});

describe('the filter language over the API', () => {
  it('finds what the table finds, and says where it cannot be read', async () => {
    const r = await c.good<{ hosts: { name: string; fits: string[] }[] }>(
      'GET',
      `/api/hosts?site=bw&q=${encodeURIComponent('is:guest cluster:gannet role:worker')}`,
    );
    expect(r.hosts.map((h) => h.name)).toEqual(['bw-g4', 'bw-g5', 'bw-g6']);
    expect(r.hosts[0]?.fits).toContain('worker');
    const bad = await c.call('GET', `/api/hosts?q=${encodeURIComponent('memry>=4')}`);
    expect([bad.status, bad.body.message]).toEqual([422, 'The filter cannot be read: memry is no fact; did you mean memory?.']);
  });
});

describe('a sweep', () => {
  it('that was cut short goes on where it stood, and is stopped by somebody', async () => {
    await i.running.ctx.db.query(
      "insert into sweep (site, range, next, total, created_by) values ('bw', '10.40.7.1-10.40.7.60', 30, 60, 'builder')",
    );
    await i.running.ctx.db.query('delete from sighting');
    const [row] = (await i.running.ctx.db.query('select max(id) as id from sweep')) as { id: number }[];
    await i.running.ctx.db.transaction((m) => i.running.ctx.queue.send(m, 'sweep', String(row?.id)));
    await eventually(
      async () =>
        ((await i.running.ctx.db.query('select state from sweep where id = $1', [row?.id])) as { state: string }[])[0]?.state ===
        'done',
      'the end of the sweep',
    );
    expect(await sightings()).toEqual([]); // 10.40.7.11 to .24 lie before where it stood
  });
});
