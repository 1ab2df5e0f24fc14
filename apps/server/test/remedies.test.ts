import { backUp, backupEnded, declareVolume, deployVolume } from './volume-of-plover.ts';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { check, type Finding, mendOutside } from '@praesidor/core/checks';
import type { Registry } from '@praesidor/core/model';
import { mendPlace, type Step } from '@praesidor/core/schedule';
import { type FaultKind, faultKinds } from '@praesidor/standins';
import { Browser } from './sign-in-browser.ts';
import {
  type Client,
  builtOrBroken,
  declareSmall,
  eventually,
  Installation,
  prepare,
  smallPublications,
  type ShipmentAnswer,
  shipmentIn,
} from './installation.ts';

/**
 * Every fault of the proving ground, planted: what is told of it leads to the place where it is mended, and when it is, the act that
 * stands there makes it good.
 */
const i = new Installation();
let c: Client;
beforeAll(async () => {
  await i.start({ timeoutSeconds: 2, also: smallPublications });
  c = await i.as('warden');
  await prepare(c);
  await declareVolume(c);
  await declareSmall(c);
  await eventually(async () => (await c.estate()).observed.bills.small, 'the bill of six images');
});
afterAll(() => i.stop());

interface Told {
  /** The page that the remedy opens; of a remedy that can be applied at once, its label. */
  leadsTo: string;
  /** What is done there, once the fault is gone; answers whether nothing is told any more. */
  mend: () => Promise<boolean>;
}
/** A fault that the product outlives without anybody. */
const heals = 'heals by itself' as const;
type Met = Told | typeof heals;

const finding = async (code: string, name: string): Promise<Finding | undefined> =>
  check(await c.estate()).findings.find((f) => f.code === code && f.subject.name === name);
const leadsTo = (f: Finding) => (f.remedy?.act?.kind === 'open' ? f.remedy.act.path : (f.remedy?.label ?? 'nowhere'));
/** Meets a fault, waits for the finding about it, and mends it by doing the same again. */
const found = async (code: string, name: string, ask: () => Promise<unknown>): Promise<Told> => {
  await ask();
  const f = await eventually(() => finding(code, name), `${code} of ${name}`);
  return {
    leadsTo: leadsTo(f),
    mend: async () => {
      await ask();
      return eventually(async () => !(await finding(code, name)), `${code} of ${name} to go`);
    },
  };
};
const controller = (host: string) =>
  found('HST-016', host, () => {
    // A connection that stands shows no certificate again.
    for (const m of i.world.machines.values()) if (m.hardware.bmc) i.running.ctx.dialer.forget(m.hardware.bmc.address);
    return c.call('POST', `/api/hosts/${host}/refresh`);
  });
const registry = (name: string) => found('IMG-005', name, () => c.call('POST', `/api/registries/${name}/look`));

interface Work {
  id: number;
  state: string;
  items: { host: string; state: string; remedy?: string }[];
}
const ended = (id: number | undefined) =>
  eventually(async () => {
    const { works } = await c.good<{ works: Work[] }>('GET', '/api/hosts/works');
    const w = works.find((x) => x.id === id);
    return w && !['running', 'stopping'].includes(w.state) && w;
  }, `the end of work ${id}`);
const work = async (kind: string, host: string, asked: object = {}) => {
  const b = await c.good<{ work?: { id: number } }>('POST', '/api/hosts/works', { kind, hosts: [host], asked });
  return (await ended(b.work?.id)).items[0];
};
/** Work on a host that fails: its line names the host and what to do, and the same work is begun again. */
const onHost = async (kind: string, host: string, asked: object = {}): Promise<Told> => {
  const failed = await work(kind, host, asked);
  return {
    leadsTo: failed?.remedy ?? 'nowhere',
    mend: async () => (await work(kind, host, asked))?.state === 'done',
  };
};

/** A shipment that fails: its line leads to the registry it failed at, and it is started again. */
const shipped = async (target: string, bill = 'small', way?: 'fast-link'): Promise<Met> => {
  const { shipment } = await c.good<{ shipment: ShipmentAnswer }>('POST', '/api/shipments', {
    target,
    bills: [bill],
    ...(way ? { way } : {}),
  });
  const start = () => c.good('POST', `/api/shipments/${shipment.label}/start`);
  await start();
  const end = await eventually(async () => {
    const { shipments } = await c.good<{ shipments: (ShipmentAnswer & { fault: string; faultAt: string })[] }>(
      'GET',
      '/api/shipments',
    );
    const s = shipments.find((x) => x.label === shipment.label);
    return s && ['landed', 'failed'].includes(s.state) && s;
  }, `the end of ${shipment.label}`);
  if (end.state === 'landed') return heals;
  const at = (await c.estate()).registries.find((r) => r.name === end.faultAt) as Registry;
  const { act } = mendOutside(at, end.fault);
  return {
    leadsTo: act?.kind === 'open' ? act.path : 'nowhere',
    mend: async () => {
      await start();
      return (await shipmentIn(c, shipment.label, 'landed')).error === null;
    },
  };
};

/** Faults of one build: the others of its hosts are planted as soon as its names are there, so that each breaks a lane of its own. */
const hosts: [FaultKind, string][] = [
  ['node-never-boots', 'lr-05'],
  ['node-dies-pulling', 'lr-07'],
  ['disk-not-empty', 'lr-08'],
];
/** A build whose step fails: it leads to the page of what it works on, and is resumed there. */
const built = async (step: string, how: object = {}, next: [FaultKind, string][] = []): Promise<Told> => {
  if (!(await i.query("select 1 from build where charter = 'plover'")).length)
    await c.good('POST', '/api/builds', { charter: 'plover' });
  const b = await builtOrBroken(c);
  expect([step, b.status.steps[step]?.state]).toEqual([step, 'failed']);
  expect(b.status.steps[step]?.remedy).toBeTruthy();
  const whole = await c.good<{ steps: Step[]; plan: Parameters<typeof mendPlace>[1] }>('GET', '/api/builds/plover/1');
  return {
    leadsTo: mendPlace(whole.steps.find((s) => s.id === step) as Step, whole.plan).go,
    mend: async () => {
      // What meets it next is there before it goes on.
      for (const [kind, on] of next) i.plant(kind, on);
      await c.good('POST', '/api/builds/plover/1/resume', how);
      const now = (await builtOrBroken(c)).status.steps[step];
      // What was planted for the next may keep it from its end.
      return now?.state === 'done' || now?.text !== b.status.steps[step]?.text;
    },
  };
};

/** What was built is resumed until it stands: a host that was slow may have broken it once more. */
const stands = async (): Promise<true> => {
  for (let n = 0; n < 5; n++) {
    if ((await builtOrBroken(c)).status.state === 'done') return true;
    await c.good('POST', '/api/builds/plover/1/resume', {});
  }
  throw new Error('plover does not come to stand');
};

/** A backup of what was built, to a store with a fault. */
let deployed: ReturnType<typeof deployVolume> | undefined;
let tides = 0;
const backedUp = async (): Promise<Met> => {
  deployed ??= deployVolume(i);
  // Something new each time, so that it is sent.
  (await deployed).write('tides', Buffer.from(`high water ${++tides}`));
  const run = await backUp(c);
  if (run.status.state === 'done') return heals;
  const step = run.steps.find((s) => run.status.steps[s.id]?.state === 'failed') as Step;
  expect(run.status.steps[step.id]?.remedy).toBeTruthy();
  return {
    leadsTo: mendPlace(step, { charter: { name: 'plover' } } as Parameters<typeof mendPlace>[1]).go,
    mend: async () => {
      await c.good('POST', '/api/charters/plover/backups/resume');
      return (await backupEnded(c, run.id)).status.state === 'done';
    },
  };
};

/** New certificates for what was built, which a host does not take. */
const renewed = async (host: string): Promise<Told> => {
  await c.good('POST', '/api/builds', { charter: 'plover', kind: 'renew' });
  const step = `${host}/files`;
  expect((await builtOrBroken(c, 2)).status.steps[step]?.remedy).toContain('Open TCP port 22');
  const whole = await c.good<{ steps: Step[]; plan: Parameters<typeof mendPlace>[1] }>('GET', '/api/builds/plover/2');
  return {
    leadsTo: mendPlace(whole.steps.find((s) => s.id === step) as Step, whole.plan).go,
    mend: async () => {
      await c.good('POST', '/api/builds/plover/2/resume', {});
      return (await builtOrBroken(c, 2)).status.state === 'done';
    },
  };
};

/** What is measured of a cluster that stands, and is not as it was. */
const drifted = async (what: string): Promise<Told> => {
  const lines = async () =>
    (await c.good<{ lines: { what: string; good: boolean; mend: { go: string } }[] }>('POST', '/api/charters/plover/proof'))
      .lines;
  const now = (await lines()).find((l) => l.what === what);
  expect(now?.good).toBe(false);
  return {
    leadsTo: now?.mend.go ?? 'nowhere',
    mend: async () => (await lines()).every((l) => l.good),
  };
};

/** A take-down of what was built: a machine that does not shut down has its power cut, and that is said. */
const takenDown = async (host: string): Promise<Met> => {
  await c.good('POST', '/api/builds', { charter: 'plover', kind: 'take-down', confirm: 'plover' });
  expect((await builtOrBroken(c, 3)).status.state).toBe('done');
  const said = await i.query<{ line: string }>('select line from run_log where step = $1 and line like $2', [
    `${host}/off`,
    '%did not shut down within%its power was cut',
  ]);
  expect(said).toHaveLength(1);
  return heals;
};

/** What is put down as a warning in the log of a step that ends well. */
const saidOnly = (step: string, line: string) => async (): Promise<Met> => {
  const said = await i.query("select 1 from run_log where step = $1 and level = 'warn' and line like $2", [step, line]);
  expect(said).toHaveLength(1);
  return heals;
};

/** Where somebody is led who signs in by the provider, and who is not signed in: to the page that says why. */
const notSignedIn = async (): Promise<Told> => {
  const ca = i.world.authorities.get('bw')?.cert;
  await c.good('PUT', '/api/sign-in/provider', {
    title: 'Kestrel Ferries sign-in',
    issuer: 'https://id.bw.kestrelferries.example:8443',
    client: 'praesidor',
    credential: 'kestrel-sign-in',
    newcomers: 'reader',
    ca,
  });
  const signIn = () => new Browser(i).signIn('noor', 'harbour-demo-1');
  return { leadsTo: await signIn(), mend: async () => (await signIn()) === '/estate' };
};
const provider = 'Kestrel Ferries sign-in';

/** What meets each fault, in this order, and where what is told of it leads to. A new fault is a line here, or this does not compile. */
const faults: Record<
  FaultKind,
  { on: string | (() => Promise<string>); meets: () => Promise<Met>; leadsTo: string; mayHeal?: true }
> = {
  'bmc-silent': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/hosts/lr-02' },
  'bmc-slow': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/hosts/lr-02' },
  'bmc-dies': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/hosts/lr-02' },
  'bmc-nonsense': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/hosts/lr-02' },
  'bmc-password': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/keyring?change=bmc-lr' },
  'bmc-certificate': { on: 'lr-02', meets: () => controller('lr-02'), leadsTo: '/hosts/lr-02' },
  'bmc-half': {
    on: 'lr-02',
    meets: () => found('HST-017', 'lr-02', () => c.call('POST', '/api/hosts/lr-02/refresh')),
    leadsTo: '/hosts/lr-02',
  },
  'firmware-stuck': {
    on: 'lr-03',
    meets: async () => {
      Object.assign(i.world.machines.get('lr-03')?.firmware ?? {}, { system: '2.10' });
      await c.good('POST', '/api/hosts/lr-03/refresh');
      return onHost('firmware', 'lr-03');
    },
    leadsTo: 'Restart the controller',
  },
  'hypervisor-silent': {
    on: 'bw-hv3',
    meets: () => found('HST-012', 'bw-hv3', () => c.call('POST', '/api/hypervisors/bw-hv3/look')),
    leadsTo: '/declare?edit=Hypervisor%20bw-hv3',
  },
  'hypervisor-memory': {
    on: () => uncast('bw-e1'),
    meets: () => onHost('cast', 'bw-e1', { start: true }),
    leadsTo: 'Move a guest away',
  },
  'hypervisor-disk': {
    on: () => uncast('bw-e1'),
    meets: () => onHost('cast', 'bw-e1', { start: true }),
    leadsTo: 'Move a guest away',
  },
  'registry-name': { on: 'bw-registry', meets: () => registry('bw-registry'), leadsTo: '/images/rules?registry=bw-registry' },
  'registry-expired': { on: 'bw-registry', meets: () => registry('bw-registry'), leadsTo: '/images/rules?registry=bw-registry' },
  'registry-full': { on: 'bw-registry', meets: () => shipped('bw-registry'), leadsTo: '/images/clean-up?registry=bw-registry' },
  'registry-drops': { on: 'upstream', meets: () => shipped('ptl-registry', 'log-shipper', 'fast-link'), leadsTo: heals },
  'registry-busy': { on: 'ptl-registry', meets: () => shipped('ptl-registry', 'small', 'fast-link'), leadsTo: heals },
  'registry-cuts-uploads': { on: 'dnl-registry', meets: () => shipped('dnl-registry', 'small', 'fast-link'), leadsTo: heals },
  // A blob that came wrong is asked for again; where the second comes wrong too, the shipment stops.
  'registry-corrupts': { on: 'upstream', meets: () => shipped('bw-registry', '1.33.6'), leadsTo: '/images', mayHeal: true },
  'registry-silent': {
    on: 'bw-registry',
    meets: () => registry('bw-registry'),
    leadsTo: '/declare?edit=Registry%20bw-registry',
  },
  'time-wrong': {
    on: '10.62.8.60',
    meets: () => built('preflight', {}, [['dns-silent', 'dns']]),
    leadsTo: '/clusters/plover',
  },
  'dns-silent': {
    on: 'dns',
    meets: () =>
      built('preflight', {}, [
        ['time-silent', '10.62.8.60'],
        ['dns-refuses', 'dns'],
      ]),
    leadsTo: '/clusters/plover',
  },
  'dns-refuses': { on: 'dns', meets: () => built('names', {}, hosts), leadsTo: '/addresses/names' },
  // It may answer the hosts, and not this server: that is said, and keeps nobody.
  'time-silent': {
    on: '10.62.8.60',
    meets: saidOnly('preflight', 'Time server 10.62.8.60: %it does not answer'),
    leadsTo: heals,
  },
  'provider-silent': { on: provider, meets: notSignedIn, leadsTo: '/sign-in?refused=away' },
  'provider-clock': { on: provider, meets: notSignedIn, leadsTo: '/sign-in?refused=clock' },
  'provider-key': { on: provider, meets: notSignedIn, leadsTo: '/sign-in?refused=key' },
  'node-dies-pulling': { on: 'lr-07', meets: () => built('lr-07/images'), leadsTo: '/images?registry=lr-registry' },
  'node-never-boots': { on: 'lr-05', meets: () => built('lr-05/system'), leadsTo: '/hosts/lr-05' },
  // With the last of them mended, the cluster stands: what comes next happens to one that does.
  'disk-not-empty': {
    on: 'lr-08',
    meets: async () => {
      const told = await built('lr-08/system', { erase: ['lr-08'] });
      return { ...told, mend: async () => (await told.mend()) && stands() };
    },
    leadsTo: '/hosts/lr-08',
  },
  'store-full': { on: 'bw-objects', meets: () => backedUp(), leadsTo: '/clusters/plover?tab=volumes' },
  'store-silent': { on: 'bw-objects', meets: () => backedUp(), leadsTo: '/clusters/plover?tab=volumes' },
  'store-region': { on: 'bw-objects', meets: () => backedUp(), leadsTo: '/clusters/plover?tab=volumes' },
  'store-clock': { on: 'bw-objects', meets: () => backedUp(), leadsTo: '/clusters/plover?tab=volumes' },
  'store-busy': { on: 'bw-objects', meets: () => backedUp(), leadsTo: heals },
  'store-cuts': { on: 'bw-objects', meets: () => backedUp(), leadsTo: heals },
  'store-slow': { on: 'bw-objects', meets: () => backedUp(), leadsTo: heals },
  'api-silent': { on: 'plover', meets: () => drifted('API answers'), leadsTo: '/clusters/plover' },
  'clock-wrong': { on: 'lr-05', meets: () => drifted('clocks of the nodes'), leadsTo: '/hosts?q=cluster:plover' },
  'ssh-silent': { on: 'lr-02', meets: () => renewed('lr-02'), leadsTo: '/hosts/lr-02' },
  'node-hangs': { on: 'lr-02', meets: () => takenDown('lr-02'), leadsTo: heals },
};
/** A guest that was there and is taken away: casting it again meets what its hypervisor lacks. @returns that hypervisor */
async function uncast(name: string): Promise<string> {
  if (!(await c.estate()).hosts.some((h) => h.name === name)) {
    const b = await c.good<{ names: string[]; work: { id: number } }>('POST', '/api/hosts/cast', {
      site: 'bw',
      mould: 'errand',
      count: 1,
      stem: 'bw-e',
      group: 'errands',
      rules: { strategy: 'spread', tolerate: 0 },
      start: false,
    });
    expect(b.names).toEqual([name]);
    await ended(b.work.id);
  }
  await work('power', name, { to: 'cut' });
  await work('remove', name);
  return (await c.estate()).hosts.find((h) => h.name === name)?.guest?.hypervisor ?? '';
}

describe('a fault of the proving ground', () => {
  it('has a line here, whichever it is', () => {
    expect(Object.keys(faults).sort()).toEqual(Object.keys(faultKinds).sort());
  });
  it.each(Object.entries(faults))('%s leads to what mends it', async (kind, fault) => {
    const on = typeof fault.on === 'string' ? fault.on : await fault.on();
    i.plant(kind as FaultKind, on);
    const met = await fault.meets().finally(() => i.lift(kind as FaultKind, on));
    if (met === heals) return expect(fault.mayHeal || fault.leadsTo === heals).toBe(true);
    expect(met.leadsTo).toContain(fault.leadsTo);
    expect(await met.mend()).toBe(true);
  });
});
