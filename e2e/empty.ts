import { Key } from 'selenium-webdriver';
import type { Browser } from './lib/browser.ts';

/** What an engineer knows of a room before anything is declared: written on paper, or in somebody's head. */
export interface Known {
  title: string;
  domain: string;
  timezone: string;
  resolvers: string;
  ntp: string;
  management: { prefix: string; vlan: string };
  machine: { prefix: string; vlan: string };
  controllers: { user: string; secret: string };
  updateKey: string;
  source: { name: string; endpoint: string; ca: string };
  mirror: { user: string; secret: string; disk: string; ca: string };
  cluster: string;
  sshKey: string;
}

/** Values that somebody typed or pasted; what was chosen or clicked is not counted. */
export class Hand {
  typed = 0;
  constructor(readonly b: Browser) {}
  /** Types into a field of a document's form, which is found by its heading. */
  async fill(section: string, label: string, text: string): Promise<void> {
    const at = `//section[starts-with(@aria-label, '${section}')]//*[self::input or self::textarea][@id=//label[starts-with(normalize-space(.), '${label}')]/@for]`;
    const e = await this.b.find(at);
    await this.b.driver.executeScript('arguments[0].scrollIntoView({block: "center"}); arguments[0].select()', e);
    await this.paste(e, text);
    this.typed++;
  }
  async choose(section: string, label: string, value: string): Promise<void> {
    await this.b.act(
      `//section[starts-with(@aria-label, '${section}')]//select[@id=//label[starts-with(normalize-space(.), '${label}')]/@for]/option[@value='${value}']`,
    );
  }
  async type(label: string, text: string): Promise<void> {
    await this.b.type(label, text);
    this.typed++;
  }
  private async paste(e: Awaited<ReturnType<Browser['find']>>, text: string): Promise<void> {
    if (!text.includes('\n')) return e.sendKeys(Key.chord(Key.CONTROL, 'a'), text);
    // As from the clipboard: a long text is not typed.
    await this.b.driver.executeScript('arguments[0].focus(); document.execCommand("insertText", false, arguments[1])', e, text);
  }
}

/** From a database with nothing in it to a cluster that stands: what *Next moves* says, from top to bottom. */
export async function fromNothing(
  b: Browser,
  url: string,
  account: { login: string; password: string },
  known: Known,
  at: (station: string) => Promise<void> = async () => undefined,
): Promise<number> {
  const hand = new Hand(b);
  const move = async (label: string) => {
    await b.click('link', 'Praesidor');
    await b.clickText(label, "//ol[@aria-label='Next moves']");
  };
  await b.open(url);
  await b.type('Login', account.login);
  await b.type('Password', account.password);
  await b.click('button', 'Sign in');
  await b.see('No site is declared yet');
  await at('empty');

  await b.clickText('Declare the first site', "//ol[@aria-label='Next moves']");
  await hand.fill('Site', 'Title', known.title);
  await hand.fill('Site', 'DNS domain', known.domain);
  await hand.fill('Site', 'Time zone', known.timezone);
  await hand.fill('Site', 'Resolvers', known.resolvers);
  await hand.fill('Site', 'Time servers', known.ntp);
  await hand.fill('Network nq-management', 'Prefix', known.management.prefix);
  await hand.fill('Network nq-management', 'VLAN', known.management.vlan);
  await hand.fill('Network nq-machine', 'Prefix', known.machine.prefix);
  await hand.fill('Network nq-machine', 'VLAN', known.machine.vlan);
  await at('site');
  await b.click('button', 'Save 5 documents');
  await b.see(known.title);
  await at('declared');

  // What the keyring lacks is said by whoever needs it, with its name and where it may be sent.
  await move('Add it to the keyring');
  await hand.type('User', known.controllers.user);
  await hand.type('Secret', known.controllers.secret);
  await b.click('button', 'Add', "//*[@role='dialog']");
  await b.see('bmc-nq is in the keyring');
  await move('Add nq-dns to the keyring');
  await hand.type('Secret', known.updateKey);
  await b.click('button', 'Add', "//*[@role='dialog']");
  await b.see('nq-dns is in the keyring');
  await at('keyring');

  await move('Sweep for hosts');
  await b.click('button', 'Sweep', "//*[@role='dialog']");
  await b.click('button', 'Accept 6 fingerprints');
  await at('accepted');
  await b.find("//button[normalize-space(.)='List 6 hosts']");
  await b.click('button', 'List 6 hosts');
  await b.find("//*[@role='table']//*[contains(., 'nq-06')]");
  await at('listed');

  await b.click('link', 'Praesidor');
  await b.see('no source of images is declared');
  await move('Declare it');
  await hand.fill('Registry source', 'Name', known.source.name);
  await hand.fill('Registry upstream', 'Endpoint', known.source.endpoint);
  await hand.fill('Registry upstream', 'CA', known.source.ca);
  await at('source');
  await b.click('button', 'Save Registry upstream');
  await b.see('no mirror is declared');
  await move('Declare it');
  await hand.fill('Registry nq-registry', 'Disk', known.mirror.disk);
  await hand.fill('Registry nq-registry', 'CA', known.mirror.ca);
  await at('mirror');
  await b.click('button', 'Save 2 documents');
  await b.see('Next moves');
  await move('Add nq-registry to the keyring');
  await hand.type('User', known.mirror.user);
  await hand.type('Secret', known.mirror.secret);
  await b.click('button', 'Add', "//*[@role='dialog']");
  await b.see('nq-registry is in the keyring');
  await b.click('link', 'Praesidor');
  await b.see('Next moves');
  await at('registries');
  await move('Take in releases');
  await at('offers');
  await b.clickText('Declare ', "//*[@role='dialog']");
  await b.see('declared; their bills are being walked');
  await b.click('link', 'Praesidor');
  await at('released');

  await move('Declare a cluster');
  await hand.fill('Charter', 'Cluster', known.cluster);
  await hand.fill('Charter', 'SSH keys', known.sshKey);
  await at('charter');
  await b.click('button', `Save Charter ${known.cluster}`);
  await b.find(`//h1[contains(., '${known.cluster}')]`);
  await at('sheet');
  await b.click('link', 'Praesidor');
  await move('Plan the shipment');
  await at('shipment');
  await b.click('button', 'Ship it');
  await b.see('landed and verified');
  await at('shipped');
  await move('Show the DNS update');
  await at('names');
  await b.clickText('Send ');
  await b.see('As planned');
  await b.click('link', 'Praesidor');
  await b.see(`${known.cluster} can be built: nothing stops it`);
  await at('ready');
  await b.clickText('Build', "//ol[@aria-label='Next moves']");
  await b.click('button', 'Build');
  await b.find("//h1[starts-with(., 'Build ')]");
  await b.find("//a[normalize-space(.)='Outputs']");
  await at('proved');
  return hand.typed;
}
