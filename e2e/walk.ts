import type { Browser } from './lib/browser.ts';

/** Called after each station; the test looks at effects there, the picture script takes its pictures. */
export type Station =
  | 'signed-in'
  | 'sighted'
  | 'measured'
  | 'listed'
  | 'settled'
  | 'shipped'
  | 'names'
  | 'ready'
  | 'building'
  | 'proved'
  | 'outputs';

/** Somebody who has never seen it follows Next moves from top to bottom, until plover stands and is proved. */
export async function followNextMoves(
  b: Browser,
  url: string,
  account: { login: string; password: string },
  at: (station: Station) => Promise<void> = async () => undefined,
): Promise<void> {
  await b.open(url);
  await b.type('Login', account.login);
  await b.type('Password', account.password);
  await b.click('button', 'Sign in');
  await b.see('sweep 10.62.7.0/26 for machines nobody has listed');
  await at('signed-in');

  await b.clickText('Sweep for hosts', "//ol[@aria-label='Next moves']");
  await b.click('button', 'Sweep', "//*[@role='dialog']");
  await b.see('10.62.7.41');
  await b.find("//button[normalize-space(.)='Accept 8 fingerprints']");
  await at('sighted');
  await b.click('button', 'Accept 8 fingerprints');
  await b.find("//button[normalize-space(.)='List 7 hosts']");
  await at('measured');
  await b.click('button', 'List 7 hosts');
  await b.find("//*[@role='table']//*[contains(., 'lr-08')]");
  await b.gone('List 7 hosts');
  await at('listed');

  await b.click('link', 'Praesidor');
  for (const [move, effect] of [
    ['Move pool to', 'Service pool lies inside a DHCP scope'],
    ['Let it follow: 1442', 'Pod MTU 1500 does not fit the link'],
  ] as const) {
    await b.clickText(move, "//ol[@aria-label='Next moves']");
    await b.click('button', 'Make this change', "//*[@role='dialog']");
    await b.gone(effect);
  }
  await at('settled');

  await b.clickText('Plan the shipment', "//ol[@aria-label='Next moves']");
  await b.click('button', 'Pack the cases', "//*[@role='dialog']");
  await b.click('button', 'Land it');
  await b.see('landed and verified');
  await at('shipped');

  await b.click('link', 'Praesidor');
  await b.clickText('Show the DNS update', "//ol[@aria-label='Next moves']");
  for (;;) {
    await b.clickText('Send ');
    await b.see('As planned');
    const more = await b.count('nav[aria-label="Zones"] > button:last-of-type');
    if (!more || !(await b.text()).includes('Next zone to send')) break;
    await b.click('button', 'Next zone to send');
    await b.find("//button[starts-with(normalize-space(.), 'Send ')]");
  }
  await at('names');

  await b.click('link', 'Praesidor');
  await b.see('plover can be built: nothing stops it');
  await at('ready');
  await b.clickText('Build', "//ol[@aria-label='Next moves']");
  await b.click('button', 'Build');
  await b.find("//h1[starts-with(., 'Build ')]");
  await b.find("//*[@data-state='running' and contains(@data-step, '/images')]");
  await at('building');
  await b.find("//a[normalize-space(.)='Outputs']");
  await at('proved');
  await b.click('link', 'Outputs');
  await b.see('Take a kubeconfig…');
  await at('outputs');
}
