import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { RecordedAct, WholeProposal } from '@praesidor/contract';
import { Client, Installation, prepare } from '../apps/server/test/installation.ts';
import { type Browser, openBrowser } from './lib/browser.ts';

/** Changes that are kept as proposals instead of being made, and what a second person sees and does. */
const i = new Installation();
let b: Browser;
let warden: Client;
let other: Client;
const url = (path: string) => i.config.publicUrl + path;
const dialog = "//*[@role='dialog']";
const networkOf = async (name: string) => (await warden.estate()).networks.find((n) => n.name === name);
const set = (path: string[], value: unknown, key = 'lr-machine', kind = 'Network') => ({ op: 'set', kind, key, path, value });
const edit = (c: Client, e: object) => c.good('POST', '/api/edits', { why: 'tried', edits: [e] });
const whole = (id: number) => other.good<WholeProposal>('GET', `/api/proposals/${id}`);

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
  const password = 'night-watch-at-sea';
  await warden.good('POST', '/api/accounts', { login: 'joao', name: 'João Reis', role: 'warden', password });
  other = new Client(i.config.publicUrl);
  await other.signIn('joao', password);
  b = await openBrowser();
  await b.open(url('/sign-in'));
  await b.type('Login', 'warden');
  await b.type('Password', i.password);
  await b.click('button', 'Sign in');
  await b.see('Next moves');
});
afterAll(async () => {
  await b?.close();
  await i.stop();
});

describe('a remedy', () => {
  it('is kept as a proposal from its dialog, and changes nothing until that is made', async () => {
    await b.open(url('/estate?site=lr'));
    await b.click('button', 'Let it follow: 1442');
    await b.click('button', 'Propose…', dialog);
    await b.type('Title', 'Packets at Lantern Rock');
    await b.type('Reason', 'Large packets vanish.');
    await b.click('button', 'Keep as a proposal', dialog);
    await b.see('Kept as proposal 1: Estate, Proposals.');
    expect((await whole(1)).title).toContain('at Lantern Rock');
    await b.click('link', 'Proposals (1)');
    await b.act("//table[@aria-label='Open proposals']//a[contains(., 'at Lantern Rock')]");
    await b.see('It can be made by anybody who may make these changes.');
    await b.find("//table[@aria-label='Changes']//td[.='Charter plover, overlay.mtu']");
    await b.see('Large packets vanish.');
    await (await b.find("//textarea[@id=//label[.='Your comment']/@for]")).sendKeys('Tonight.');
    await b.click('button', 'Comment');
    await b.find("//section[@aria-label='Comments']//p[.='Tonight.']");
    await b.click('button', 'Make the changes…');
    await b.click('button', 'Make the changes', dialog);
    await b.see('Made by warden.');
    expect((await warden.estate()).charters.find((c) => c.name === 'plover')?.overlay?.mtu).toBeUndefined();
  });
});

describe('where a site asks for a second person', () => {
  beforeAll(async () => {
    await prepare(warden);
    await edit(warden, set(['fourEyes'], true, 'lr', 'Site'));
  });

  it('an edit says so before it is sent, and is put into a proposal that is open already', async () => {
    const { id } = await other.good<{ id: number }>('POST', '/api/proposals', { title: 'packets', edits: [set(['mtu'], 9000)] });
    await b.open(url('/declare?edit=Network%20lr-machine'));
    await b.find("//h1[.='Edit']");
    await b.find("//*[contains(@class, 'cm-content')]");
    await b.type('VLAN', '9');
    await b.see('The site lr has each change approved by a second person.');
    await b.find("//button[contains(., 'Save Network lr-machine') and @disabled]");
    await b.click('button', 'Propose…');
    await b.choose('Proposal', `${id}: packets, by joao`);
    await b.click('button', `Put into proposal ${id}`, dialog);
    await b.find("//h1[.='Proposals']");
    const p = await whole(id);
    expect([p.writers, p.changes[0]?.fields.map((f) => f.path.join('.'))]).toEqual([
      ['joao', 'warden'],
      ['mtu', 'vlan'],
    ]);
    await other.good('POST', `/api/proposals/${id}/withdraw`);
  });

  it('whoever wrote a proposal waits for somebody else, sees that it was approved, and makes it', async () => {
    const { id } = await warden.good<{ id: number }>('POST', '/api/proposals', { title: 'jumbo', edits: [set(['mtu'], 9000)] });
    await b.open(url(`/proposals/${id}`));
    await b.see('Somebody else who may make these changes approves them');
    await b.find("//button[contains(., 'Make the changes') and @disabled]");
    await other.good('POST', `/api/proposals/${id}/approve`, { digest: (await whole(id)).digest });
    await b.see('Approved by joao. It can be made.');
    await b.click('button', 'Make the changes…');
    await b.click('button', 'Make the changes', dialog);
    await b.see('Made by warden.');
    expect((await networkOf('lr-machine'))?.mtu).toBe(9000);
  });

  it('a second person reads it, decides what two set otherwise no more alone, and approves what is there then', async () => {
    const { id } = await other.good<{ id: number }>('POST', '/api/proposals', { title: 'smaller', edits: [set(['mtu'], 1400)] });
    const meanwhile = await warden.good<{ id: number }>('POST', '/api/proposals', { title: 'now', edits: [set(['mtu'], 8000)] });
    const { digest } = await whole(meanwhile.id);
    await other.good('POST', `/api/proposals/${meanwhile.id}/approve`, { digest });
    await warden.good('POST', `/api/proposals/${meanwhile.id}/make`, { digest });
    await b.open(url(`/proposals/${id}`));
    await b.see('1 document was changed by somebody else too');
    await b.find("//button[contains(., 'Approve') and @disabled]");
    await other.good('POST', `/api/proposals/${id}/decide`, {
      kind: 'Network',
      key: 'lr-machine',
      path: ['mtu'],
      keep: 'proposed',
    });
    await b.find("//table[@aria-label='Changes']//tr[contains(., '8000')][contains(., '1400')]");
    await b.click('button', 'Approve…');
    await b.click('button', 'Approve', dialog);
    await b.see('Approved by warden. It can be made.');
    expect((await whole(id)).approvals).toMatchObject([{ by: 'warden', holds: true }]);
    await b.click('button', 'Take approval back…');
    await b.click('button', 'Take the approval back', dialog);
    await b.see('Nobody has approved it.');
  });

  it('an act that one person does not undo alone is proposed to be undone, from the record', async () => {
    await b.open(url('/record?text=made%20proposal'));
    await b.click('button', 'Undo', "//tr[contains(., ': now')]");
    await b.see('Keep as a proposal');
    await b.click('button', 'Keep as a proposal', dialog);
    await b.see('Kept as proposal');
    const { acts } = await other.good<{ acts: RecordedAct[] }>('GET', '/api/acts?text=wrote%20a%20proposal');
    expect(acts[0]?.subject).toContain('Undo: made proposal');
  });

  it('a build that somebody else began waits, is approved from the list, and is carried out then', async () => {
    const { number } = await other.good<{ number: number }>('POST', '/api/builds', { charter: 'plover' });
    const path = `/api/builds/plover/${number}`;
    await b.open(url(`/builds/plover/${number}`));
    await b.see('joao began it. It is carried out as it stands below when somebody else has approved it.');
    await b.open(url('/proposals'));
    await b.click('button', 'Approve…', "//table[@aria-label='Changes that wait for approval']//tr[contains(., 'joao')]");
    await b.click('button', 'Approve', dialog);
    await b.see('Build plover: approved.');
    await b.open(url(`/builds/plover/${number}`));
    await b.see('approved by warden');
    expect(await other.good(`GET`, path)).toMatchObject({ approval: 'given', approvedBy: 'warden' });
    await other.good('POST', `${path}/stop`);
  });
});
