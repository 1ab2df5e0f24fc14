#!/usr/bin/env node
/* `npm run demo`: everything from a fresh clone to a running demonstration, and all of it ended with Ctrl-C. */
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, debian, modules, packages, root, state, web } from './lib/install.mjs';
import { createDatabase, freePort, isFree, startPostgres } from './lib/postgres.mjs';
import { pair } from './lib/pair.mjs';
import { start } from './lib/process.mjs';
import { fail, step } from './lib/say.mjs';
import { keyringKey, kept, noteRunning, word } from './lib/secrets.mjs';

checkNode();
/** Nothing is declared: the devices stand there, and the estate is to be written. Its database and its devices are its own. */
const empty = process.argv.includes('--empty');
/** Ten thousand hosts at three hundred sites, of which nothing stands anywhere: for looking at how it is to work with many. */
const large = process.argv.includes('--large');
/** A second installation stands in the sealed room of Lantern Rock, and begins with nothing: the plan goes there in bundles. */
const two = process.argv.includes('--two') && !empty && !large;
const own = empty ? '-empty' : large ? '-large' : '';
const stops = [];
let ending = false;
async function end(code) {
  if (ending) return;
  ending = true;
  process.stdout.write('\nStopping … ');
  for (const stop of stops.reverse()) await stop().catch(() => undefined);
  process.stdout.write('everything has ended.\n');
  process.exit(code);
}
process
  .on('SIGINT', () => void end(0))
  .on('SIGTERM', () => void end(0))
  .on('SIGHUP', () => void end(0));

try {
  const began = Date.now();
  await debian({ postgresql: packages.postgresql });
  await modules();
  await web();
  const logs = join(state, 'logs');
  mkdirSync(logs, { recursive: true });
  const pg = await step('Starting PostgreSQL', async () => {
    const p = await startPostgres(join(state, 'postgres'), 54320);
    stops.push(() => p.stop());
    createDatabase(p, `praesidor${own.replace('-', '_')}`);
    if (two) createDatabase(p, 'praesidor_two');
    return p;
  });
  const shift = await freeShift();
  const addressMap = `10.0.0.0/8=127.0.0.0/8+${shift}`;
  const provingPort = await step('Starting the stand-ins', async () => {
    const p = await start(
      'standins',
      'packages/standins/src/main.ts',
      {
        PRAESIDOR_ADDRESS_MAP: addressMap,
        PROVING_DIR: join(state, `world${own}`),
        PROVING_WORLD: join(root, empty || large ? 'demo/empty/world.yaml' : 'demo/world.yaml'),
        PROVING_PORT: String(await freePort(8090)),
        PROVING_SPEED: process.env.SPEED ?? '60',
      },
      logs,
    );
    stops.push(() => p.stop());
    watchFor(p, 'The stand-ins');
    return p.listening;
  });
  const accounts = kept(join(state, 'accounts.json'), () =>
    [
      ['iris', 'Iris Wend', 'warden'],
      ['bo', 'Bo Lindqvist', 'builder', ['vessel-traffic', 'ticketing', 'aboard']],
      ['pia', 'Pia Moreau', 'planner', ['vessel-traffic', 'ticketing']],
      ['rui', 'Rui Sants', 'reader', ['aboard'], { ptl: 'planner' }],
    ].map(([login, name, role, teams, sites]) => ({ login, name, role, password: word(), teams, sites })),
  );
  const port = await freePort(Number(process.env.PORT ?? 8080));
  const env = {
    DATABASE_URL: pg.url(`praesidor${own.replace('-', '_')}`),
    PORT: String(port),
    PRAESIDOR_URL: `http://127.0.0.1:${port}`,
    PRAESIDOR_KEY: keyringKey(state),
    PRAESIDOR_DATA: join(state, `data${own}`),
    PRAESIDOR_WEB: join(root, 'apps/web/dist'),
    PRAESIDOR_ADDRESS_MAP: addressMap,
    PROVING_URL: `http://127.0.0.1:${provingPort}`,
    ...(large ? { PRAESIDOR_WATCH: '86400' } : {}),
  };
  await step(
    'Loading the demonstration',
    async () =>
      (
        await start(
          'load',
          'apps/server/src/setup/load.ts',
          { ...env, PRAESIDOR_ACCOUNTS: JSON.stringify(accounts), PRAESIDOR_LOAD: empty || large ? '' : join(root, 'demo') },
          logs,
        )
      ).listening,
  );
  if (large)
    await step('Writing the large estate', async () => {
      const r = spawnSync(process.execPath, [join(root, 'scripts/seed.mjs'), '--database', env.DATABASE_URL], {
        env: { ...process.env, PRAESIDOR_KEY: env.PRAESIDOR_KEY },
        encoding: 'utf8',
      });
      if (r.status !== 0) throw new Error(r.stderr.trim().split('\n').at(-1));
    });
  stops.push(noteRunning(state, { DATABASE_URL: env.DATABASE_URL, PRAESIDOR_KEY: env.PRAESIDOR_KEY }));
  const url = await step('Starting the server', async () => {
    const s = await start('server', 'apps/server/src/main.ts', env, logs);
    stops.push(() => s.stop());
    watchFor(s, 'The server');
    return s.listening;
  });
  const second = two
    ? await step('Starting the server at Lantern Rock', () => startSecond(pg, env, url, logs, accounts))
    : undefined;
  process.stdout.write(`
Praesidor is at  ${url}   (after ${((Date.now() - began) / 1000).toFixed(1)} s)${
    second
      ? `
and a second one at  ${second}   (Lantern Rock)`
      : ''
  }

${accounts.map((a) => `  ${a.login.padEnd(6)} ${a.password.padEnd(10)} ${a.role.padEnd(8)} ${a.name}`).join('\n')}
${empty || large ? '' : '  noor   harbour-demo-1      signs in with Kestrel Ferries (OpenID Connect)\n'}
Sign in as iris${toTry()}
Ctrl-C ends everything; what was done is kept in .praesidor for the next start.
`);
} catch (e) {
  for (const stop of stops.reverse()) await stop().catch(() => undefined);
  fail(`The demonstration could not be started: ${e.message}`);
}

/** The installation at Lantern Rock: its own database, key, folder and keyring, in the same world; the two know each other. */
async function startSecond(pg, env, home, logs, accounts) {
  const port = await freePort(Number(env.PORT) + 1);
  const there = {
    ...env,
    DATABASE_URL: pg.url('praesidor_two'),
    PORT: String(port),
    // An address of its own: a browser keeps the sessions of the two apart by it.
    HOST: '127.0.0.2',
    PRAESIDOR_URL: `http://127.0.0.2:${port}`,
    PRAESIDOR_KEY: keyringKey(join(state, 'two')),
    PRAESIDOR_DATA: join(state, 'data-two'),
  };
  const people = accounts.map(({ teams: _, sites: __, ...a }) => a);
  await (
    await start(
      'load-two',
      'apps/server/src/setup/load.ts',
      { ...there, PRAESIDOR_ACCOUNTS: JSON.stringify(people), PRAESIDOR_LOAD: join(root, 'demo/lantern-rock') },
      logs,
    )
  ).listening;
  const s = await start('server-two', 'apps/server/src/main.ts', there, logs);
  stops.push(() => s.stop());
  watchFor(s, 'The server at Lantern Rock');
  await s.listening;
  const url = there.PRAESIDOR_URL;
  const warden = accounts.find((a) => a.role === 'warden');
  await pair({ url: home, name: 'breakwater-hall' }, { url, name: 'lantern-rock', sites: ['lr'] }, warden);
  return url;
}

/** What to do first. */
function toTry() {
  const speed = `Time in the rooms runs ${process.env.SPEED ?? '60'} times as fast as outside.`;
  if (large) return '. Nothing of this estate stands anywhere: look around, and see how it is to work with many.';
  if (two)
    return `, open Estate, Installations, make a bundle for lantern-rock, and take the file in at the second address. Images go
there in cases. ${speed}`;
  if (!empty)
    return `, and follow Next moves on the first page from top to bottom: at the end the cluster
plover stands at Lantern Rock and is proved. ${speed}`;
  return `, and follow Next moves on the first page from top to bottom: at the end the cluster that you
declare stands and is proved. What an engineer knows of the room is in demo/empty/room.md, its CA files are in ${join(state, `world${own}`)}. ${speed}`;
}

function watchFor(p, what) {
  void p.ended.then((code) => {
    if (!ending) {
      process.stderr.write(`\n${what} ended unexpectedly (${code}); see .praesidor/logs.\n`);
      void end(1);
    }
  });
}

/** Ports of the stand-ins are those of the plan, shifted: the first shift at which nobody listens. */
async function freeShift() {
  for (let shift = 20000; shift < 50000; shift += 1000) {
    // Looked at where the stand-ins will listen: another demonstration has the same addresses, and not this machine's first one.
    const places = [
      ['127.62.8.53', 53],
      ['127.40.0.53', 53],
      ['127.62.7.12', 443],
      ['127.40.7.11', 443],
      ['127.62.8.20', 6443],
      ['127.40.8.20', 6443],
      ['127.44.8.53', 53],
      ['127.62.8.9', 5000],
      ['127.0.0.1', 6443],
    ];
    if ((await Promise.all(places.map(([host, port]) => isFree(host, port + shift)))).every(Boolean)) return shift;
  }
  throw new Error('no free range of ports on loopback');
}
