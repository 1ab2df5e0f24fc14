import { createHash } from 'node:crypto';
import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { makeCertificate } from '@praesidor/standins';
import { mapAddress } from '@praesidor/protocols/dial';
import type { Account, SignInProviderSet } from '@praesidor/contract';
import { Client, Installation } from './installation.ts';
import { Browser } from './sign-in-browser.ts';

/** Signing in by a provider (OpenID Connect), with a browser that is a few lines of `fetch`. */
const i = new Installation();
let warden: Client;
const host = 'id.bw.kestrelferries.example';
const ca = () => i.world.authorities.get('bw')?.cert ?? '';
const asked = (more: object = {}) => ({
  title: 'Kestrel Ferries sign-in',
  issuer: `https://${host}:8443`,
  client: 'praesidor',
  credential: 'kestrel-sign-in',
  ca: ca(),
  ...more,
});
const set = (more: object = {}) => warden.good('PUT', '/api/sign-in/provider', asked(more));
const change = (login: string, to: object) => warden.call('PATCH', `/api/accounts/${login}`, to);
const account = async (login: string) =>
  (await warden.good<{ accounts: Account[] }>('GET', '/api/accounts')).accounts.find((a) => a.login === login);
const provider = () => {
  const p = i.world.providers.get('Kestrel Ferries sign-in');
  if (!p) throw new Error('no provider stands');
  return p;
};
const people = () => provider().spec.people;

beforeAll(async () => {
  await i.start();
  warden = await i.as('warden');
  people().push(
    { login: 'planner', password: 'p', name: 'Somebody called planner', subject: 'p-2001' },
    { login: 'not a login!', password: 'p', name: 'Odd', subject: 'p-2003' },
  );
});
afterAll(() => i.stop());
afterEach(() => {
  for (const kind of ['provider-silent', 'provider-clock', 'provider-key'] as const) i.lift(kind, provider().spec.name);
});

describe('a sign-in provider', () => {
  it('is offered where one is set, by whoever manages accounts and nobody else', async () => {
    const nobody = new Client(i.config.publicUrl);
    expect((await nobody.call('GET', '/api/sign-in')).body).toEqual({ provider: null });
    expect(await new Browser(i).begin()).toBe(`${i.config.publicUrl}/sign-in?refused=off`);
    for (const role of ['reader', 'planner', 'builder'] as const)
      expect((await (await i.as(role)).call('PUT', '/api/sign-in/provider', asked())).status).toBe(403);
    await set();
    expect((await nobody.call('GET', '/api/sign-in')).body).toEqual({ provider: 'Kestrel Ferries sign-in' });
    const told = await warden.good<SignInProviderSet>('GET', '/api/sign-in/provider');
    expect(told.back).toBe(`${i.config.publicUrl}/api/sign-in/back`);
    expect(JSON.stringify(told)).not.toContain('breakwater-demo-2');
    expect(await warden.good('POST', '/api/sign-in/provider/test')).toMatchObject({ issuer: `https://${host}:8443` });
  });
  it('keeps its keyring entry: that is not removed while it is named', async () => {
    const a = await warden.call('DELETE', '/api/keyring/kestrel-sign-in');
    expect([a.status, a.body.message]).toEqual([
      409,
      'kestrel-sign-in is in use: the sign-in provider Kestrel Ferries sign-in names it.',
    ]);
  });
  it('is asked over TLS alone, and only with an authority', async () => {
    for (const more of [{ issuer: `http://${host}` }, { issuer: 'https://a.example/?x' }, { ca: undefined }])
      expect((await warden.call('PUT', '/api/sign-in/provider', asked(more))).status).toBe(422);
  });
  it('that is another than its authority signed for is not asked, and the secret stays here', async () => {
    await set({ ca: i.world.authorities.get('lr')?.cert });
    expect(await new Browser(i).begin()).toMatch(/refused=away$/);
    const a = await warden.call('POST', '/api/sign-in/provider/test');
    expect([a.status, a.body.message]).toEqual([502, expect.stringMatching(/cannot be used: id\.bw.*certificate/)]);
    await set();
  });
});

describe('somebody who signs in by the provider', () => {
  it('without an account is refused, or gets one that looks, as it is set', async () => {
    const b = new Browser(i);
    expect(await b.signIn('noor', 'harbour-demo-1')).toBe('/sign-in?refused=unknown');
    expect([await b.me(), await account('noor')]).toEqual([undefined, undefined]);
    await set({ newcomers: 'reader' });
    expect(await b.signIn('noor', 'harbour-demo-1', '/hosts?q=spare')).toBe('/hosts?q=spare');
    expect(await b.me()).toMatchObject({ login: 'noor', name: 'Noor Haddad', role: 'reader', teams: [], sites: {} });
    expect(await account('noor')).toMatchObject({ signIn: 'provider', bound: true });
    const acts = await i.query<{ act: string; detail: unknown }>("select act, detail from audit where who = 'noor' order by id");
    expect(acts).toEqual([
      { act: 'made an account', detail: { role: 'reader', by: asked().title, subject: 'p-1042', issuer: asked().issuer } },
      { act: 'signed in', detail: { by: asked().title } },
    ]);
    // No password opens it, the empty one neither.
    for (const password of ['', 'harbour-demo-1'])
      expect(await new Client(i.config.publicUrl).signIn('noor', password)).toBe(401);
  });
  it('is not taken for an account of that name which signs in with a password', async () => {
    expect(await new Browser(i).signIn('planner', 'p')).toBe('/sign-in?refused=unknown');
    expect(await account('planner')).toMatchObject({ signIn: 'password', bound: false, role: 'planner' });
  });
  it.each(['not a login!'])('does not become an account named %s', async (login) => {
    expect(await new Browser(i).signIn(login, 'p')).toBe('/sign-in?refused=unknown');
    expect(await account(login)).toBeUndefined();
  });
  it('keeps the account by who they are, not by what they are called', async () => {
    expect((await change('planner', { signIn: 'both' })).status).toBe(200);
    expect(await new Browser(i).signIn('planner', 'p')).toBe('/estate');
    const mine = people().find((p) => p.subject === 'p-2001');
    if (!mine) throw new Error('nobody');
    mine.login = 'married';
    const b = new Browser(i);
    await b.signIn('married', 'p');
    expect((await b.me())?.login).toBe('planner');
    // Another one who is called so by now is somebody else.
    people().push({ login: 'planner', password: 'p', name: 'Another', subject: 'p-2009' });
    expect(await new Browser(i).signIn('planner', 'p')).toBe('/sign-in?refused=unknown');
    expect(await new Client(i.config.publicUrl).signIn('planner', i.password)).toBe(200);
    await set();
    // With a password alone again, whoever the provider signed in is out, and not let in.
    await change('planner', { signIn: 'password' });
    expect(await b.me()).toBeUndefined();
    expect(await new Browser(i).signIn('married', 'p')).toBe('/sign-in?refused=unknown');
    await set({ newcomers: 'reader' });
  });
  it('alone: a password opens nothing, a link is not made, and a warden with a password is left', async () => {
    await change('builder', { signIn: 'provider' });
    expect(await new Client(i.config.publicUrl).signIn('builder', i.password)).toBe(401);
    for (const what of ['invitation', 'password'])
      expect(
        (await warden.call('POST', `/api/accounts/builder/${what}`, what === 'password' ? {} : undefined)).body.message,
      ).toBe('builder signs in by the provider alone.');
    await change('builder', { signIn: 'password' });
    const last = await change('warden', { signIn: 'provider' });
    expect([last.status, last.body.message]).toEqual([409, expect.stringContaining('last warden who signs in with a password')]);
  });
  it('who is disabled is told so, and is out', async () => {
    const b = new Browser(i);
    await b.signIn('noor', 'harbour-demo-1');
    await change('noor', { disabled: true });
    expect(await b.me()).toBeUndefined();
    expect(await b.signIn('noor', 'harbour-demo-1')).toBe('/sign-in?refused=disabled');
    await change('noor', { disabled: false });
    expect(await b.signIn('noor', 'harbour-demo-1')).toBe('/estate');
  });
  it('and ends it there, is told that', async () => {
    const b = new Browser(i);
    const home = await b.go(await b.begin(), { cancel: 'yes' });
    expect((await b.go(home.to)).to).toMatch(/refused=refused$/);
  });
});

describe('a provider', () => {
  it('that is away keeps nobody out who has a password, and is named', async () => {
    i.plant('provider-silent', provider().spec.name);
    const [page, signedIn] = await Promise.all([
      new Browser(i).begin(),
      new Client(i.config.publicUrl).signIn('reader', i.password),
    ]);
    expect([page.replace(i.config.publicUrl, ''), signedIn]).toEqual(['/sign-in?refused=away', 200]);
    const a = await warden.call('POST', '/api/sign-in/provider/test');
    expect([a.status, a.body.message]).toEqual([502, expect.stringContaining('does not answer')]);
    i.lift('provider-silent', provider().spec.name);
    expect(await new Browser(i).signIn('noor', 'harbour-demo-1')).toBe('/estate');
  });
  it('that is away when somebody comes back signs nobody in', async () => {
    const b = new Browser(i);
    const home = await b.atProvider('noor', 'harbour-demo-1');
    i.plant('provider-silent', provider().spec.name);
    expect((await b.go(home)).to).toMatch(/refused=away$/);
    expect(await b.me()).toBeUndefined();
  });
  it('whose clock is wrong signs nobody in', async () => {
    i.plant('provider-clock', provider().spec.name);
    expect(await new Browser(i).signIn('noor', 'harbour-demo-1')).toBe('/sign-in?refused=clock');
    i.lift('provider-clock', provider().spec.name);
    // Ahead too, although what it signs has not ended; a little does not matter.
    for (const [ahead, page] of [
      [3600, '/sign-in?refused=clock'],
      [-200, '/estate'],
      [0, '/estate'],
    ] as const) {
      provider().ahead = ahead;
      expect(await new Browser(i).signIn('noor', 'harbour-demo-1')).toBe(page);
    }
  });
  it('that signs with a key it does not publish signs nobody in; one that changes its key does', async () => {
    i.plant('provider-key', provider().spec.name);
    expect(await new Browser(i).signIn('noor', 'harbour-demo-1')).toBe('/sign-in?refused=key');
    i.lift('provider-key', provider().spec.name);
    await provider().changeKey();
    expect(await new Browser(i).signIn('noor', 'harbour-demo-1')).toBe('/estate');
    // In the middle of a sign-in, with the old one forgotten.
    const b = new Browser(i);
    const home = await b.atProvider('noor', 'harbour-demo-1');
    await provider().changeKey(true);
    expect((await b.go(home)).to).toBe(`${i.config.publicUrl}/estate`);
  });
  it('that is exchanged for another one, or removed, leaves nobody signed in by it, and nobody known by it', async () => {
    const b = new Browser(i);
    await b.signIn('noor', 'harbour-demo-1');
    await set({ issuer: `https://${host}:9443` });
    expect([await b.me(), (await account('noor'))?.bound]).toEqual([undefined, false]);
    await set({ newcomers: 'reader' });
    await b.signIn('noor', 'harbour-demo-1');
    expect((await b.me())?.login).toBe('noor');
    await warden.good('DELETE', '/api/sign-in/provider');
    expect(await b.me()).toBeUndefined();
    await set({ newcomers: 'reader' });
  });
});

describe('an attack', () => {
  it('with what somebody else brought back, or brought back already, signs nobody in', async () => {
    const [b, thief] = [new Browser(i), new Browser(i)];
    const home = await b.atProvider('noor', 'harbour-demo-1');
    await thief.begin();
    // A thief has the address, and not the browser.
    expect((await thief.go(home)).to).toMatch(/refused=ended$/);
    expect((await new Browser(i).go(home)).to).toMatch(/refused=ended$/);
    // It was not used up by that.
    expect((await b.go(home)).to).toBe(`${i.config.publicUrl}/estate`);
    expect((await b.go(home)).to).toMatch(/refused=ended$/);
  });
  it('that puts a code of its own into the sign-in of another one is refused', async () => {
    const [b, thief] = [new Browser(i), new Browser(i)];
    const own = new URL(await thief.atProvider('rui', 'harbour-demo-2'));
    const home = new URL(await b.atProvider('noor', 'harbour-demo-1'));
    home.searchParams.set('code', own.searchParams.get('code') ?? '');
    expect((await b.go(home.href)).to).toMatch(/refused=answer$/);
    expect(await b.me()).toBeUndefined();
  });
  it.each(['//evil.example', 'https://evil.example', '/\\evil.example', 'javascript:alert(1)', '/a\nb'])(
    'that would lead to %j after it leads to the start',
    async (back) => expect(await new Browser(i).signIn('noor', 'harbour-demo-1', back)).toBe('/estate'),
  );
  it('by beginning again and again is held off', async () => {
    await i.query('delete from sign_in_begun');
    await i.query(
      "insert into sign_in_begun (state_hash, browser_hash, verifier, nonce, back, address) select 'old ' || n, '', '', '', '', '127.0.0.1' from generate_series(1, 96) n",
    );
    // Ten at one moment, where there is room for four.
    const pages = await Promise.all(Array.from({ length: 10 }, () => new Browser(i).begin()));
    expect(pages.filter((p) => !p.endsWith('refused=many')).length).toBeLessThanOrEqual(4);
    expect(await new Browser(i).begin()).toMatch(/refused=many$/);
    // What was held off is not kept.
    const [kept] = await i.query<{ n: number }>('select count(*)::int as n from sign_in_begun');
    expect(kept?.n).toBeLessThanOrEqual(100);
    // After ten minutes they do not count.
    await i.query("update sign_in_begun set at = at - interval '11 minutes'");
    expect(await new Browser(i).begin()).toContain('/authorize');
  });
  it('keeps no secret in the clear: what a browser and the provider carry stands as digests', async () => {
    const b = new Browser(i);
    const there = new URL(await b.begin());
    const state = there.searchParams.get('state') ?? '';
    const kept = JSON.stringify(await i.query('select * from sign_in_begun'));
    expect([state.length > 40, kept.includes(state)]).toEqual([true, false]);
    expect(kept).toContain(createHash('sha256').update(state).digest('hex'));
  });
});

/** A provider that lies, at a place that was declared. */
describe('a description that', () => {
  let server: Server | undefined;
  afterEach(async () => {
    server?.closeAllConnections();
    await new Promise((done) => (server ? server.close(done) : done(undefined)));
    server = undefined;
  });
  const stand = async (answer: (req: IncomingMessage, res: ServerResponse) => void) => {
    const authority = i.world.authorities.get('bw');
    if (!authority) throw new Error('no authority');
    const pair = await makeCertificate({ commonName: host, names: [host], ca: authority, days: 30 });
    server = createServer({ cert: pair.cert, key: pair.key }, answer);
    const at = mapAddress(i.config.addressMap, '10.40.8.7', 8444);
    await new Promise<void>((done) => server?.listen(at.port, at.host, done));
    await set({ issuer: `https://${host}:8444` });
  };
  const says = (more: object) => (_: IncomingMessage, res: ServerResponse) =>
    void res.writeHead(200, { 'content-type': 'application/json' }).end(
      JSON.stringify({
        issuer: `https://${host}:8444`,
        authorization_endpoint: `https://${host}:8444/authorize`,
        token_endpoint: `https://${host}:8444/token`,
        jwks_uri: `https://${host}:8444/keys`,
        response_types_supported: ['code'],
        ...more,
      }),
    );
  it('is of another issuer is not believed', async () => {
    await stand(says({ issuer: 'https://other.example' }));
    expect(await new Browser(i).begin()).toMatch(/refused=answer$/);
  });
  it('asks for passwords without TLS sends nobody there', async () => {
    await stand(says({ authorization_endpoint: 'http://evil.example/authorize' }));
    expect(await new Browser(i).begin()).toMatch(/refused=answer$/);
  });
  it('sends this server elsewhere does not get the secret sent there', async () => {
    await stand(says({ token_endpoint: 'https://evil.example/token' }));
    const b = new Browser(i);
    const there = new URL(await b.begin());
    const home = `${i.config.publicUrl}/api/sign-in/back?code=x&state=${there.searchParams.get('state')}`;
    expect((await b.go(home)).to).toMatch(/refused=answer$/);
  });
  it.each([
    ['is no JSON', 'no JSON at all'],
    ['is endless', '0'.repeat(300_000)],
  ])('%s is said to be none', async (_, text) => {
    await stand((_req, res) => void res.writeHead(200, { 'content-type': 'application/json' }).end(text));
    expect(await new Browser(i).begin()).toMatch(/refused=answer$/);
  });
});

/** A provider that somebody else wrote, and that is certified: it refuses what is not as the standard says. */
it('a provider that is not ours takes what is sent to it, and what it says is understood', { timeout: 120_000 }, async () => {
  const { default: Other } = (await import('oidc-provider' as string)) as {
    default: new (
      issuer: string,
      settings: object,
    ) => { callback: () => (req: IncomingMessage, res: ServerResponse) => void; proxy: boolean };
  };
  const issuer = `https://${host}:8445`;
  const other = new Other(issuer, {
    clients: [
      { client_id: 'praesidor', client_secret: 'breakwater-demo-2', redirect_uris: [`${i.config.publicUrl}/api/sign-in/back`] },
    ].map((c) => ({ ...c, application_type: 'native', grant_types: ['authorization_code'], response_types: ['code'] })),
    pkce: { required: () => true },
    claims: { openid: ['sub'], profile: ['name', 'preferred_username'], email: ['email'] },
    findAccount: (_: unknown, id: string) => ({
      accountId: id,
      claims: () => ({ sub: id, name: `Name of ${id}`, preferred_username: id }),
    }),
  });
  const authority = i.world.authorities.get('bw');
  if (!authority) throw new Error('no authority');
  const pair = await makeCertificate({ commonName: host, names: [host], ca: authority, days: 30 });
  const server = createServer({ cert: pair.cert, key: pair.key }, other.callback());
  const at = mapAddress(i.config.addressMap, '10.40.8.7', 8445);
  await new Promise<void>((done) => server.listen(at.port, at.host, done));
  try {
    await set({ issuer, newcomers: 'reader' });
    expect(await warden.good('POST', '/api/sign-in/provider/test')).toMatchObject({ issuer });
    const b = new Browser(i);
    let at_ = await b.begin('/hosts');
    let shown = '';
    // Its own pages: who it is, and that they agree.
    for (let n = 0; n < 12 && !at_.startsWith(i.config.publicUrl); n++) {
      const r = await b.go(at_);
      if (r.to) {
        at_ = r.to;
        continue;
      }
      shown = r.text;
      const action = /<form[^>]*action="([^"]+)"/.exec(shown)?.[1];
      const prompt = /name="prompt" value="(\w+)"/.exec(shown)?.[1];
      if (!action || !prompt) throw new Error(`no form: ${shown.slice(0, 2000)}`);
      const sent = await b.go(new URL(action, at_).href, { prompt, login: 'vera', password: 'anything' });
      at_ = sent.to;
    }
    expect(at_).toContain('/api/sign-in/back?code=');
    expect((await b.go(at_)).to).toBe(`${i.config.publicUrl}/hosts`);
    expect(await b.me()).toMatchObject({ login: 'vera', name: 'Name of vera', role: 'reader' });
    // And its no is heard: the secret is another one.
    const wrong = new Browser(i);
    await warden.good('PUT', '/api/sign-in/provider', asked({ issuer, client: 'somebody-else' }));
    const refused = await wrong.go(await wrong.begin());
    expect([refused.status, refused.text]).toEqual([400, expect.stringContaining('invalid_client')]);
  } finally {
    server.closeAllConnections();
    await new Promise((done) => server.close(done));
  }
});
