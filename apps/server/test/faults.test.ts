import { afterAll, beforeAll, expect, it } from 'vitest';
import { buildOf, builtOrBroken, type Client, eventually, Installation, prepare } from './installation.ts';

/** One build that meets every fault in turn. What the engineer sees of each: the step, why, and what to do. */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 6 });
  c = await i.as('warden');
  await prepare(c);
});
afterAll(() => i.stop());

const resume = async (how: object = {}) => {
  await c.good('POST', '/api/builds/plover/1/resume', how);
  const files = await eventually(async () => {
    const t = await tokens('files');
    return t.length === 6 && t;
  }, 'addresses to be open again');
  // Open anew means other ones; those of reports stay, since machines that are up know them.
  expect(files.filter((t) => given.has(t))).toEqual([]);
  for (const t of files) given.add(t);
};
interface Token {
  token_hash: string;
  opens: string;
}
const tokens = async (opens: string) =>
  (await i.query<Token>('select token_hash, opens from boot_token')).filter((t) => t.opens === opens).map((t) => t.token_hash);
/** Addresses of files that were ever given out. */
const given = new Set<string>();
const broken = async () => {
  const b = await builtOrBroken(c);
  expect(b.status.state).toBe('failed');
  // Whatever ended it, nobody can fetch keys from its addresses any more.
  expect(await i.query('select 1 from boot_token')).toEqual([]);
  return Object.fromEntries(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'));
};

it('a registry certificate for another name stops the build before anything is touched', async () => {
  i.plant('registry-name', 'lr-registry');
  const resolvers = (list: unknown) =>
    c.good('POST', '/api/edits', {
      why: 'resolvers',
      edits: [{ op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: list }],
    });
  const before = (await c.estate()).sites.find((s) => s.name === 'lr')?.resolvers as unknown as string;
  // Beside it one that nobody runs.
  await resolvers(`${before} 10.62.8.55`);
  await c.good('POST', '/api/builds', { charter: 'plover' });
  const { preflight } = await broken();
  expect(preflight?.text).toContain('Resolver 10.62.8.55');
  await resolvers(before);
  expect(preflight?.text).toContain('its certificate is for depot.elsewhere.example, not for registry.lr.kestrelferries.example');
  expect(preflight?.remedy).toContain('nothing has been touched yet');
  const here = [...i.world.machines.values()].filter((m) => m.hardware.name.startsWith('lr-'));
  expect(here.map((m) => m.power)).toEqual(Array(7).fill('Off'));
  i.lift('registry-name', 'lr-registry');
});

it('a BMC whose certificate changed is sent nothing', async () => {
  i.plant('bmc-certificate', 'lr-06');
  await resume();
  const { preflight } = await broken();
  expect(preflight?.text).toContain('BMC of lr-06, 10.62.7.16');
  expect(preflight?.text).toContain('nothing was sent to it');
  i.lift('bmc-certificate', 'lr-06');
});

it('DNS that refuses the update breaks the step of names, with what to allow', async () => {
  i.plant('dns-refuses', 'dns');
  await resume();
  const { names } = await broken();
  expect(names?.text).toContain('refuses updates');
  expect(names?.remedy).toContain('read the zone again, and send');
  i.lift('dns-refuses', 'dns');
});

it('a silent BMC, a node that never boots, one that dies while pulling, one whose disk is not empty: each breaks its own lane', async () => {
  i.plant('bmc-silent', 'lr-04');
  i.plant('node-never-boots', 'lr-05');
  i.plant('node-dies-pulling', 'lr-07');
  i.plant('disk-not-empty', 'lr-08');
  await resume();
  const steps = await broken();
  expect(Object.keys(steps).sort()).toEqual(['lr-04/power', 'lr-05/system', 'lr-07/images', 'lr-08/system']);
  expect(steps['lr-08/system']?.text).toBe('lr-08: bay 2 (containers) is not empty, it holds gpt, ext4 archive');
  // By its name, and not by its words, the page offers to erase it.
  expect(Object.entries(steps).flatMap(([id, s]) => (s.code ? [[id, s.code]] : []))).toEqual([
    ['lr-08/system', 'disk-not-empty'],
  ]);
  expect(steps['lr-08/system']?.remedy).toContain('If nobody needs that, choose “Erase disks and retry”.');
  // What is on it stays, however often it is tried.
  expect(i.world.machines.get('lr-08')?.disks.get('HW70008L-D2')?.table).toBe('of somebody else');
  expect(steps['lr-04/power']?.text).toContain('The BMC of lr-04 at 10.62.7.14:443: it does not answer');
  expect(steps['lr-04/power']?.remedy).toContain('power and network');
  expect(steps['lr-05/system']?.text).toContain('lr-05 has power and never asked for its boot program');
  expect(steps['lr-07/images']?.text).toMatch(/lr-07 lost power after \d+ of 18 images/);
  expect(steps['lr-07/images']?.remedy).toContain('goes on with the images it lacks');
  const { status } = await buildOf(c);
  expect(status.steps['lr-06/images']?.state).toBe('done'); // its neighbours went on
  const { lines } = await c.good<{ lines: { level: string; line: string }[] }>(
    'GET',
    '/api/builds/plover/1/log?step=lr-04/power',
  );
  expect(lines.filter((l) => l.level === 'warn').length).toBeGreaterThanOrEqual(2); // it was tried again before it was given up
});

it('resumed, it goes on at the broken steps, heals over dropped connections, and is proved', async () => {
  i.lift('bmc-silent', 'lr-04');
  i.lift('node-never-boots', 'lr-05');
  i.plant('registry-drops', 'lr-registry');
  // This one loses its power in the middle of its first boot, and comes back by itself.
  const cut = i.world.machines.get('lr-04');
  if (!cut) throw new Error('there is no lr-04');
  const at = cut.at.bind(cut);
  let cuts = 0;
  cut.at = (stage) => {
    at(stage);
    if (stage !== 'system' || cuts++) return;
    cut.powerOff();
    cut.powerOn();
  };
  // Erasing is for resuming alone, and recorded.
  expect((await c.call('POST', '/api/builds/plover/1/stop', { erase: ['lr-08'] })).status).toBe(422);
  expect((await c.call('POST', '/api/builds/plover/1/resume', { erase: ['lr-03'] })).status).toBe(422);
  await resume({ erase: ['lr-08'] });
  expect(
    await i.query("select count(*)::int as n from audit where act = 'resumed a build and let it erase disks of lr-08'"),
  ).toEqual([{ n: 1 }]);
  await eventually(
    async () => Object.values((await buildOf(c)).status.steps).some((s) => s.healed.length) || undefined,
    'a pull that healed',
  );
  i.lift('registry-drops', 'lr-registry');
  const b = await builtOrBroken(c);
  expect(b.status.state, JSON.stringify(Object.entries(b.status.steps).filter(([, s]) => s.state === 'failed'))).toBe('done');
  expect(b.status.steps['lr-07/images']?.attempt).toBe(2);
  expect([cuts > 1, b.status.steps['lr-04/system']?.attempt]).toEqual([true, 1]);
  expect(b.status.steps['lr-06/images']?.attempt).toBe(1);
  expect(b.proof?.every((p) => p.good)).toBe(true);
  expect(await i.query('select 1 from boot_token')).toEqual([]);
  const { lines } = await c.good<{ lines: { line: string }[] }>('GET', '/api/builds/plover/1/log?step=lr-08/system');
  expect(lines.map((l) => l.line)).toEqual(
    expect.arrayContaining(['bay 2 (containers) is erased: gpt, ext4 archive', 'from now on it starts from its own disk']),
  );
  // Every machine is left to its own order, and has on its disk what it starts from.
  for (const name of ['lr-02', 'lr-04', 'lr-05', 'lr-06', 'lr-07', 'lr-08']) {
    const m = i.world.machines.get(name);
    expect([name, m?.bootTarget, m?.disks.get(m.serials[0] as string)?.start?.cmdline]).toEqual([
      name,
      'None',
      expect.stringMatching(/^ds=nocloud systemd\.machine_id=[0-9a-f]{32}$/),
    ]);
  }
});

it('a boot address opens what it is for, and nothing after its time', async () => {
  const { hashed } = await import('../src/auth/seal.ts');
  await i.query(
    "insert into boot_token select t, b.id, 'lr-02', opens, now() + hours * interval '1 hour' from (values ($1, 'reports', 1), ($2, 'files', 1), ($3, 'files', -1)) x(t, opens, hours), (select id from build where charter = 'plover' order by number limit 1) b",
    ['r', 'f', 'o'].map(hashed),
  );
  const get = async (path: string) => (await fetch(`${i.config.publicUrl}/boot/${path}`)).status;
  expect([await get('f/user-data'), await get('r/user-data'), await get('o/user-data')]).toEqual([200, 404, 404]);
  expect([await get('r/gate/join'), await get('f/gate/join')]).toEqual([204, 404]);
});
