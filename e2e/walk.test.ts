import { Key } from 'selenium-webdriver';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Installation } from '../apps/server/test/installation.ts';
import { axeFaults } from './lib/axe.ts';
import { type Browser, openBrowser } from './lib/browser.ts';
import { followNextMoves, type Station } from './walk.ts';

const i = new Installation();
let b: Browser;
beforeAll(async () => {
  await i.start({ speed: 600 });
  b = await openBrowser();
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

const faults = () => axeFaults(b);

describe('somebody who has never seen it', () => {
  it('follows Next moves from an empty room to a proved cluster', async () => {
    const seen: Station[] = [];
    const wrong: Record<string, string[]> = {};
    const effects: Partial<Record<Station, () => void | Promise<void>>> = {
      sighted: async () => {
        expect((await (await i.as('warden')).estate()).observed.sightings).toHaveLength(8);
      },
      listed: async () => {
        expect(
          (await (await i.as('warden')).estate()).hosts
            .filter((h) => h.site === 'lr')
            .map((h) => h.state)
            .sort(),
        ).toEqual(['fit', 'fit', 'fit', 'fit', 'fit', 'fit', 'listed', 'serving']);
      },
      settled: async () => {
        expect((await (await i.as('warden')).estate()).charters.find((c) => c.name === 'plover')?.overlay.mtu).toBeUndefined();
      },
      names: () => {
        expect(
          i.world.dns.zones.find((z) => z.name === 'lr.kestrelferries.example')?.records.map((r) => `${r.name} ${r.value}`),
        ).toContain('*.in.plover.lr.kestrelferries.example 10.62.8.21');
      },
      ready: () => {
        i.plant('disk-not-empty', 'lr-08');
      },
      // A host whose disk is not empty stops its lane; the failure is seen first, while the rest goes on; somebody lets it be erased.
      building: async () => {
        await b.find("//button[normalize-space(.)='Erase disks and retry…']");
        await b.see('lr-08 system failed · ends not before');
        await b.see('1 running, 1 with failed steps');
        await b.click('button', 'Erase disks and retry…');
        await b.see('lr-08: bay 2 (containers) is not empty, it holds gpt, ext4 archive');
        await b.type('Names', 'lr-08');
        await b.click('button', 'Erase and retry', "//*[@role='dialog']");
      },
      proved: () => {
        expect(i.world.machines.get('lr-08')?.disks.get('HW70008L-D2')?.table).not.toBe('of somebody else');
        expect(i.world.clusters.list()).toMatchObject(
          [{ name: 'plover', up: true, members: ['lr-02', 'lr-04', 'lr-06', 'lr-05', 'lr-07', 'lr-08'].sort() }].map((c) => ({
            ...c,
            members: expect.arrayContaining(c.members),
          })),
        );
      },
    };
    await followNextMoves(b, i.config.publicUrl, { login: 'warden', password: i.password }, async (station) => {
      seen.push(station);
      await effects[station]?.();
      const found = await faults();
      if (found.length) wrong[station] = found;
    });
    expect(seen.at(-1)).toBe('outputs');
    expect(wrong).toEqual({});
  });
});

describe('on the sheet', () => {
  const url = (path: string) => i.config.publicUrl + path;
  it('a value set in place is a draft; its finding stands at the field; discarding the draft takes it back', async () => {
    await b.open(url('/clusters/dunlin?site=dnl'));
    await b.click('button', 'Pods: 10.144.0.0/18, edit');
    await b.type('Pods', '10.71.1.0/24\n');
    await b.see('Pod range overlaps dnl-machine');
    await b.see('draft of ');
    await b.click('button', 'Discard draft');
    await b.gone('Pod range overlaps dnl-machine');
  });
  it('of a cluster that stands says how each change comes about, and where a value came from', async () => {
    await b.open(url('/clusters/tern?site=bw'));
    await b.click('button', 'Pods: 10.132.0.0/16, edit');
    await b.type('Pods', '10.150.0.0/16\n');
    await b.click('button', 'Lost after: follows: 50, edit');
    await b.type('Lost after', '90\n');
    await b.see('known after 1 min 30 s');
    await b.clickText('known after 1 min 30 s');
    await b.clickText('without a sign for 90 s it counts as lost');
    // The reason leads to its field.
    await b.driver.wait(
      async () => (await b.driver.executeScript('return document.activeElement?.getAttribute("data-field")')) === 'timers.grace',
      b.timeoutMs,
      'the field of the reason has the focus',
    );
    await b.click('button', 'Consequences and save…');
    await b.find("//section[@aria-label='How it comes about']//tr[contains(., 'Pods') and contains(., 'impossible')]");
    await b.find("//section[@aria-label='How it comes about']//tr[contains(., 'Lost after') and contains(., 'rolling')]");
    await b.click('button', 'Cancel');
    await b.click('button', 'Discard draft');
    await b.find("//button[@aria-label='Pods: 10.132.0.0/16, edit']");
  });
  it('a remedy shows what it changes, is made, and undone', async () => {
    await b.open(url('/clusters/dunlin?site=dnl'));
    await b.clickText('Let it follow: 10.144.64.0', "//aside[@aria-label='Margin']");
    await b.see('Charter dunlin, pods.range');
    await b.click('button', 'Make this change');
    await b.gone('Pod range also belongs to petrel');
    await b.click('button', 'Undo');
    await b.see('Pod range also belongs to petrel');
  });
  it('the text marks what cannot be read at its line, and nothing of it reaches the plan', async () => {
    await b.open(url('/clusters/dunlin?site=dnl&tab=text'));
    const editor = await b.find("//*[@aria-label='Charter as text']");
    await b.find("//*[contains(@class, 'cm-lint-marker')]"); // the findings stand at their lines
    await editor.sendKeys(Key.chord(Key.CONTROL, Key.HOME));
    await editor.sendKeys('nonsense: here\n');
    await b.see('unknown field');
    await b.click('tab', 'sheet');
    await b.find("//button[@aria-label='Pods: 10.144.0.0/18, edit']");
  });
});

describe('a cluster that stands', () => {
  it('is brought to what its charter says by now: seen before it is begun, begun, and proved', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover/change`);
    await b.see('plover stands as planned');
    await b.open(`${i.config.publicUrl}/clusters/plover`);
    await b.click('button', 'Workers: 3 hosts, edit');
    await b.type('Workers', '2\n');
    await b.click('button', 'Consequences and save…');
    await b.click('button', 'Save and hold hosts', "//*[@role='dialog']");
    await b.click('button', 'Remove hosts…');
    // What it does is read first: who goes, what is away, from when on it cannot be undone.
    const [, leaves = ''] = /Remove (lr-0\d) from plover/.exec(await b.textOf("//h1[contains(., 'from plover')]")) ?? [];
    await b.see('planned, not started');
    await b.see(`what has one copy on ${leaves}`);
    await b.see(`${leaves} has left; to have it back it is installed anew`);
    await b.find(`//table[@aria-label='What changes']//tr[contains(., '${leaves}') and contains(., 'rests, to be wiped')]`);
    expect(await faults()).toEqual([]);
    expect(i.world.machines.get(leaves)?.power).toBe('On');
    await b.click('button', 'Start');
    await b.see('nothing: the cluster is as planned');
    expect(await faults()).toEqual([]);
    expect(i.world.machines.get(leaves)?.power).toBe('Off');
    expect(i.world.clusters.list().find((c) => c.name === 'plover')?.members).not.toContain(leaves);
    await b.open(`${i.config.publicUrl}/builds`);
    await b.find(`//table[@aria-label='Builds']//tr[contains(., 'Remove ${leaves} from plover') and contains(., 'proved')]`);
  });
  it('a kubeconfig of one role is taken in one’s own name, with an end', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=proof`);
    await b.click('button', 'Take a kubeconfig…');
    await b.choose('Role', 'administrator');
    await b.type('Hours', '25');
    await b.see('1 to 24 hours');
    await b.type('Hours', '2');
    await b.see('--role administrator --hours 2');
    expect(await faults()).toEqual([]);
    await b.click('button', 'Download', "//*[@role='dialog']");
    await b.gone('Kubeconfig for plover');
    const [row] = await i.query<{ detail: { role: string } }>(
      "select detail from audit where act = 'took a kubeconfig' order by id desc limit 1",
    );
    expect(row?.detail.role).toBe('administrator');
  });
  it('its builds are looked at closely, searched, and held side by side', async () => {
    await b.open(`${i.config.publicUrl}/builds/plover/1`);
    const bars = () => b.count('[aria-label="Lanes"] [data-step]');
    await b.driver.wait(async () => (await bars()) > 20, b.timeoutMs, 'its lanes are drawn');
    const all = await bars();
    await b.click('button', 'Zoom in');
    await b.click('button', 'Zoom in');
    await b.driver.wait(async () => (await bars()) < all, b.timeoutMs, 'only what is in a quarter of the time is drawn');
    await b.click('button', 'All');
    await b.driver.wait(async () => (await bars()) === all, b.timeoutMs, 'all of it is drawn again');
    await b.type('Find in the logs of all steps', 'takes connections');
    await b.find("//section[starts-with(@aria-label, 'Log of')]//button[.='inbound']");
    await b.type('Find in the logs of all steps', ' nothing of this kind');
    await b.see('No step has a line with');
    await b.click('link', 'Compare');
    await b.find("//table[@aria-label='By kind of step']//tr[contains(., 'images')]");
    await b.find("//table[@aria-label='Step by step']//tr[contains(., 'proof')]");
    expect(await faults()).toEqual([]);
  });
  it('what was proved is measured again by whoever asks, and everything made for it stands in one list', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=proof`);
    await b.find("//table[@aria-label='Proof']//tr[contains(., 'nodes ready') and contains(., 'every 5 min')]");
    await b.click('button', 'Measure now');
    await b.see('Everything was measured again.');
    await b.see('lines hold');
    await b.see('nothing is left over');
    await b.open(`${i.config.publicUrl}/clusters?q=proof:holds`);
    await b.find(
      "//table[@aria-label='Clusters']//tr[contains(., 'plover') and contains(., ' hold') and contains(., 'days left')]",
    );
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=proof`);
    await b.find("//section[@aria-label='Made for this cluster']//summary[contains(., 'addresses') and contains(., 'in use')]");
    expect(await faults()).toEqual([]);
  });
  it('an edit to it is applied to its hosts, after what it does was read', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover`);
    await b.find("//button[starts-with(@aria-label, 'Workers: ')]");
    await b.find("//button[.='Outputs']");
    const c = await i.as('warden');
    const { doc } = await c.good<{ doc: { pods: object } }>('GET', '/api/charters/plover');
    await c.good('POST', '/api/edits', {
      why: 'fewer pods',
      edits: [{ op: 'set', kind: 'Charter', key: 'plover', path: ['pods'], value: { ...doc.pods, most: 99 } }],
    });
    await b.click('button', 'Apply changes…');
    await b.find("//table[@aria-label='What changes']//tr[contains(., 'kubelet.yaml') and contains(., 'started anew')]");
    expect(await faults()).toEqual([]);
    await b.click('button', 'Start');
    await b.see('nothing: the cluster is as planned');
    const [first] = (await c.estate()).hosts.filter((h) => h.held?.charter === 'plover');
    expect(i.world.machines.get(first?.name ?? '')?.installed?.files['/etc/kubernetes/kubelet.yaml']).toContain('maxPods: 99');
  });
  it('is taken down when its name is typed, after what would end was read', async () => {
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=proof`);
    await b.click('link', 'Take plover down…');
    await b.see('what ran is gone; the backup of etcd stays');
    await b.find("//table[@aria-label='What changes']//tr[contains(., 'certificate') and contains(., 'gone')]");
    expect(await faults()).toEqual([]);
    await b.click('button', 'Take down…');
    await b.find("//*[@role='dialog']//button[.='Take down' and @disabled]");
    await b.type('Names', 'plover');
    await b.click('button', 'Take down', "//*[@role='dialog']");
    await b.see('nothing: the cluster is gone');
    expect(i.world.clusters.list().find((c) => c.name === 'plover')?.up).toBe(false);
    await b.open(`${i.config.publicUrl}/clusters/plover?tab=proof`);
    await b.see('No host serves plover: it has no outputs.');
    await b.find("//table[@aria-label='Backups of etcd']//tr[contains(., 'lr.kestrelferries.example')]");
  });
  it('its hosts are given back by an act of its own: wiped, with proof', async () => {
    const kept = (await (await i.as('warden')).estate()).hosts.filter((h) => h.held?.charter === 'plover').length;
    await b.click('link', `Give ${kept} hosts back…`);
    await b.find("//table[@aria-label='What changes']//tr[contains(., 'every drive erased, with proof')]");
    expect(await faults()).toEqual([]);
    await b.click('button', 'Give hosts back…');
    await b.find("//*[@role='dialog' and contains(., 'is gone for good')]");
    await b.type('Names', 'plover');
    await b.click('button', 'Give hosts back', "//*[@role='dialog']");
    await b.find("//table//tr[contains(., 'drives are erased')]");
    expect((await (await i.as('warden')).estate()).hosts.filter((h) => h.held?.charter === 'plover')).toEqual([]);
  });
});

describe('in the frame', () => {
  it('the keyboard goes everywhere, and the night theme has enough contrast', async () => {
    await b.open(`${i.config.publicUrl}/estate?site=lr`);
    await b.see('Next moves');
    await b.press('ga');
    await b.find("//h1[.='Addresses']");
    await b.press('/');
    await b.type('Go to, or do', 'switch theme');
    await b.press('\uE007');
    await b.find("//html[@data-theme='night']");
    for (const path of [
      '/estate',
      '/hosts?site=lr&host=lr-03',
      '/addresses?site=lr',
      '/images',
      '/clusters/plover',
      '/builds/plover/1',
    ]) {
      await b.open(i.config.publicUrl + path);
      await b.find('//h1');
      await b.find('//aside');
      expect([path, await faults()]).toEqual([path, []]);
    }
  });
  it('a fault is planted and lifted on the proving ground, and is in the devices', async () => {
    await b.open(`${i.config.publicUrl}/proving`);
    await b.choose('Fault', 'bmc-silent');
    await b.choose('Subject', 'lr-04');
    await b.click('button', 'Plant it');
    await b.find("//ul[@aria-label='Planted faults']//*[.='lr-04']");
    expect(i.world.faults.list()).toEqual([{ kind: 'bmc-silent', subject: 'lr-04' }]);
    await b.click('button', 'Lift it');
    await b.see('No fault is planted.');
    expect(i.world.faults.list()).toEqual([]);
  });
  it('a reader sees acts that are not theirs refused by the server, in words', async () => {
    const c = await i.as('reader');
    await b.driver.manage().deleteAllCookies();
    await b.driver.manage().addCookie({ name: 'praesidor', value: c.cookie.split('=')[1] as string, path: '/' });
    await b.open(`${i.config.publicUrl}/addresses?site=lr&net=lr-machine`);
    await b.click('button', 'Reserve…');
    await b.type('For whom', 'radar desk');
    await b.clickText('Reserve 10.62', "//*[@role='dialog']");
    await b.see('To reserve and release addresses takes the role planner; reader is reader.');
  });
});
